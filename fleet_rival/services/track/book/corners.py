"""What is written of a corner."""

from collections.abc import Mapping
from typing import Any, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import Combination, Layout, LayoutCorner
from fleet_rival.services.shared.base import Actor, begin_change, check_version, find_row
from fleet_rival.services.shared.errors import Refused
from fleet_rival.services.shared.revisions import raise_revisions

__all__ = ["change_corner", "corner_title"]

_LISTS: Final = ("other_names", "traits", "kerbs", "limits", "passing", "lanes")
_TEXTS: Final = ("name", "move", "importance", "note")


def change_corner(
    sessions: sessionmaker[Session], actor: Actor, corner_id: UUID, version: int, values: Mapping[str, Any]
) -> UUID:
    """Write what is known of a corner.

    Args:
        values: `name`, `other_names`, `move`, `given_up_for` (a code, or None), `importance`, `traits`, `kerbs`,
            `limits`, `passing`, `lanes`, `note`; what isn't named stays.

    Returns:
        Of the layout.

    Raises:
        Outdated: somebody changed it meanwhile.
        Refused: time is given up for a corner that isn't there, or for this one.
    """
    with sessions.begin() as session:
        row = find_row(session, LayoutCorner, actor, corner_id, "corner", lock=True)
        check_version(row, version, "corner")
        layout = session.scalars(
            select(Layout).where(Layout.team_id == actor.team_id, Layout.id == row.layout_id)
        ).one()
        begin_change(session, actor, "corner.change", f"Changed {corner_title(row)}, {layout.name}", row)
        wanted = {name: values[name] for name in _LISTS if name in values}
        wanted |= {name: (values[name] or "").strip() or None for name in _TEXTS if name in values}
        if "given_up_for" in values:
            wanted |= _given_up_for(session, row, values["given_up_for"])
        before = row.linked_to_next, row.given_up_for
        for name, value in wanted.items():
            if getattr(row, name) != value:
                setattr(row, name, value)
        if (row.linked_to_next, row.given_up_for) != before:
            # Linked ideals join laps elsewhere now, and other corners are judged together.
            own = select(Combination.id).where(Combination.team_id == actor.team_id, Combination.layout_id == layout.id)
            raise_revisions(session, actor.team_id, session.scalars(own))
        return layout.public_id


def corner_title(row: LayoutCorner) -> str:
    """A corner by its code, and its name where it has one."""
    return " ".join(filter(None, (row.code, row.name)))


def _given_up_for(session: Session, row: LayoutCorner, code: str | None) -> dict[str, Any]:
    own = (LayoutCorner.team_id == row.team_id, LayoutCorner.layout_id == row.layout_id)
    order = list(session.scalars(select(LayoutCorner.code).where(*own).order_by(LayoutCorner.start_m)))
    if not code:
        return {"linked_to_next": False, "given_up_for": None}
    if code not in order or code == row.code:
        raise Refused(f"Time can't be given up in {row.code} for {code}: name another corner of this layout.")
    following = order[(order.index(row.code) + 1) % len(order)]
    return {"linked_to_next": code == following, "given_up_for": None if code == following else code}
