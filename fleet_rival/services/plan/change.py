"""People change the plan: a block is moved, made longer, locked or taken out; a rule that it breaks is said, and the
block stays.
"""

from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from typing import Any, Final
from uuid import UUID

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import Driver, PlanBlock, Resource
from fleet_rival.services.shared.base import Actor, begin_change, check_version, find_row
from fleet_rival.services.shared.errors import Refused
from fleet_rival.wording.plan import block_words

__all__ = ["change_block", "remove_block"]

_LONGEST_MINUTES: Final = 600


def change_block(
    sessions: sessionmaker[Session], actor: Actor, block_id: UUID, version: int, values: Mapping[str, Any]
) -> None:
    """Write where a block is, how long, on which rig, and whether it stays there. What somebody puts somewhere is
    locked there.

    Args:
        values: `begins_at`, `minutes`, `rig_id`, `locked`, and `said`, what became of it; those that are to be written.

    Raises:
        Outdated: somebody changed it meanwhile.
        Refused: a time or a length that can't be.
    """
    with sessions.begin() as session:
        row = find_row(session, PlanBlock, actor, block_id, "block", lock=True)
        check_version(row, version, "block")
        driver = session.get_one(Driver, row.driver_id)
        begin_change(
            session,
            actor,
            "plan.change",
            f"Changed {block_words(row.kind, row.about)} of {driver.name} in the plan",
            row,
        )
        if (begins := values.get("begins_at")) is not None:
            _put(row, begins)
        if (minutes := values.get("minutes")) is not None:
            if not 5 <= minutes <= _LONGEST_MINUTES or minutes % 5:
                raise Refused("A block lasts from 5 minutes to ten hours, in whole five minutes.")
            row.minutes = minutes
        if "rig_id" in values:
            rig = find_row(session, Resource, actor, values["rig_id"], "rig") if values["rig_id"] is not None else None
            if rig is not None and rig.kind != "rig":
                raise Refused(f"{rig.name} is no rig.")
            row.rig_id = rig.id if rig is not None else None
        if "said" in values:
            row.said = values["said"]
        moved = any(values.get(name) is not None for name in ("begins_at", "minutes")) or "rig_id" in values
        locked = values.get("locked")
        row.locked = locked if locked is not None else row.locked or moved


def remove_block(sessions: sessionmaker[Session], actor: Actor, block_id: UUID, version: int) -> None:
    """Take a block out of the plan; the next plan may bring it back."""
    with sessions.begin() as session:
        row = find_row(session, PlanBlock, actor, block_id, "block", lock=True)
        check_version(row, version, "block")
        driver = session.get_one(Driver, row.driver_id)
        begin_change(
            session,
            actor,
            "plan.remove",
            f"Took {block_words(row.kind, row.about)} of {driver.name} out of the plan",
            row,
        )
        session.delete(row)


def _put(row: PlanBlock, begins: datetime) -> None:
    if begins.tzinfo is None:
        raise Refused("Say the moment with its zone.")
    moment = begins.astimezone(UTC)
    if moment.second or moment.microsecond or moment.minute % 5:
        raise Refused("Blocks begin on whole five minutes.")
    if abs(moment - row.begins_at) > timedelta(days=60):
        raise Refused("That is too far from where the block was.")
    row.begins_at = moment
