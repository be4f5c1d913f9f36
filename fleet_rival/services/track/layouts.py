"""Layouts besides those that come in files: drawn up by hand, made from another one, changed, removed, written out."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.book.layouts import shortened, turned_round
from fleet_rival.core.track import BadTrack, Pit, Track
from fleet_rival.core.words import Derived
from fleet_rival.db.tables import Layout, LayoutCorner, LayoutSector, SeriesWeekRow, TrackRow
from fleet_rival.formats.tracks import write_track
from fleet_rival.services.shared.base import Actor, begin_change, check_version, find_row, named
from fleet_rival.services.shared.errors import Conflict, Refused
from fleet_rival.services.track.tracks import load_track, pit_values, store_track

__all__ = ["change_layout", "derive", "draw_up", "export", "outline", "remove_layout"]

_WRITTEN = ("other_names", "traits", "importance", "note")
"""What is true of a corner in a shorter layout too. Limits, kerbs and passing belong to it as well, but the rules
may not be the same.
"""


def draw_up(sessions: sessionmaker[Session], actor: Actor, track: Track) -> UUID:
    """Take in a layout that somebody drew up by hand.

    Raises:
        Refused: a name is missing.
        Conflict: there is one of this name.
    """
    track = replace(
        track,
        name=named(track.name, "track"),
        layout=named(track.layout, "layout"),
        kind=named(track.kind, "kind of track"),
    )
    with sessions.begin() as session:
        return store_track(session, actor, track, f"Drew up {track.name}, {track.layout}").public_id


def derive(
    sessions: sessionmaker[Session],
    actor: Actor,
    layout_id: UUID,
    how: Derived,
    name: str,
    stretch: tuple[float, float] | None = None,
    link_m: float | None = None,
) -> UUID:
    """Make another layout of a track from one that is there.

    Args:
        stretch: what a shorter one leaves out, in metres from the line.
        link_m: length of the link that closes the gap; as the crow flies where missing.

    Raises:
        Refused: no such layout can be made.
        Conflict: there is one of this name.
    """
    with sessions.begin() as session:
        row = find_row(session, Layout, actor, layout_id, "layout")
        old = load_track(session, row)
        try:
            if how == "reversed":
                made = turned_round(old, named(name, "layout"))
            elif stretch is None:
                raise BadTrack("say which stretch is left out")
            else:
                made = shortened(old, named(name, "layout"), *stretch, link_m)
        except BadTrack as error:
            raise Refused(f"This layout can't be made: {error}.") from error
        layout = store_track(session, actor, made, f"Made {made.name}, {made.layout} from {old.layout}")
        layout.derived_from_id, layout.derivation = row.id, how
        _take_notes_along(session, row, layout, how, old)
        return layout.public_id


def change_layout(
    sessions: sessionmaker[Session], actor: Actor, layout_id: UUID, version: int, values: Mapping[str, Any]
) -> None:
    """Change a layout's names, its kind and what is known of the pit lane.

    Args:
        values: `track`, `layout`, `kind`, `pit` (or None), `pit_entry_note`, `pit_exit_note`.

    Raises:
        Outdated: somebody changed it meanwhile.
        Conflict: a name is taken.
        Refused: the pit lane lies outside the lap.
    """
    try:
        with sessions.begin() as session:
            row = find_row(session, Layout, actor, layout_id, "layout", lock=True)
            check_version(row, version, "layout")
            parent = session.scalars(
                select(TrackRow).where(TrackRow.team_id == actor.team_id, TrackRow.id == row.track_id)
            ).one()
            begin_change(session, actor, "track.change", f"Changed {parent.name}, {row.name}", row)
            pit: Pit | None = values["pit"]
            try:
                replace(load_track(session, row, centreline=False), pit=pit)
            except BadTrack as error:
                raise Refused(f"This can't be: {error}.") from error
            parent.name, row.name = named(values["track"], "track"), named(values["layout"], "layout")
            _rename_in_weeks(session, parent)
            row.kind = named(values["kind"], "kind of track")
            for name, value in pit_values(pit).items():
                setattr(row, name, value)
            for name in ("pit_entry_note", "pit_exit_note"):
                setattr(row, name, (values[name] or "").strip() or None)
    except IntegrityError as error:
        raise Conflict("There is a track or a layout of this name already.") from error


def _rename_in_weeks(session: Session, parent: TrackRow) -> None:
    """Weeks name their track and layout as they were written: they follow."""
    names = dict(
        session.execute(
            select(Layout.id, Layout.name).where(Layout.team_id == parent.team_id, Layout.track_id == parent.id)
        )
        .tuples()
        .all()
    )
    own = (SeriesWeekRow.team_id == parent.team_id, SeriesWeekRow.layout_id.in_(names))
    for week in session.scalars(select(SeriesWeekRow).where(*own)):
        for name, value in (("track", parent.name), ("layout", names[week.layout_id or 0])):
            if getattr(week, name) != value:
                setattr(week, name, value)


def remove_layout(sessions: sessionmaker[Session], actor: Actor, layout_id: UUID) -> None:
    """Remove a layout that nothing hangs on; the track goes with its last layout.

    Raises:
        Conflict: combinations, weeks, references or questions do.
    """
    try:
        with sessions.begin() as session:
            row = find_row(session, Layout, actor, layout_id, "layout", lock=True)
            parent = session.scalars(
                select(TrackRow).where(TrackRow.team_id == actor.team_id, TrackRow.id == row.track_id)
            ).one()
            begin_change(session, actor, "track.remove", f"Removed {parent.name}, {row.name}", row)
            for table in (LayoutSector, LayoutCorner):
                for part in session.scalars(
                    select(table).where(table.team_id == actor.team_id, table.layout_id == row.id)
                ):
                    session.delete(part)
            session.flush()
            session.delete(row)
            session.flush()
            if not session.scalar(
                select(Layout.id).where(Layout.team_id == actor.team_id, Layout.track_id == parent.id).limit(1)
            ):
                session.delete(parent)
    except IntegrityError as error:
        raise Conflict(
            "Combinations, weeks, references, questions or layouts made from it hang on this layout. Take them away "
            "first."
        ) from error


def export(sessions: sessionmaker[Session], actor: Actor, layout_id: UUID) -> tuple[str, bytes]:
    """A layout as a track file, and a name for it."""
    with sessions() as session:
        track = load_track(session, find_row(session, Layout, actor, layout_id, "layout"))
    stem = "-".join(f"{track.name} {track.layout}".lower().split())
    return f"{stem}.track.json", write_track(track)


@dataclass(frozen=True, slots=True)
class Outline:
    """A centreline: its step and places, in metres; empty where none is known."""

    step_m: float | None
    x_m: tuple[float, ...]
    y_m: tuple[float, ...]


def outline(sessions: sessionmaker[Session], actor: Actor, layout_id: UUID) -> Outline:
    """The centreline of a layout."""
    with sessions() as session:
        row = find_row(session, Layout, actor, layout_id, "layout")
        points = row.centreline_xy_m or []
        return Outline(row.centreline_step_m, tuple(point[0] for point in points), tuple(point[1] for point in points))


def _take_notes_along(session: Session, old: Layout, new: Layout, how: str, track: Track) -> None:
    """Names stay with the places; what is written of the road stays true where it is driven the same way."""
    before = {
        corner.code: corner
        for corner in session.scalars(
            select(LayoutCorner).where(LayoutCorner.team_id == old.team_id, LayoutCorner.layout_id == old.id)
        )
    }
    at_apex = {round(track.length_m - corner.apex_m, 3): corner.code for corner in track.corners}
    after = session.scalars(
        select(LayoutCorner)
        .where(LayoutCorner.team_id == new.team_id, LayoutCorner.layout_id == new.id)
        .order_by(LayoutCorner.start_m)
    ).all()
    for corner in after:
        source = before[at_apex[round(corner.apex_m, 3)] if how == "reversed" else corner.code]
        for name in ("other_names",) if how == "reversed" else _WRITTEN:
            setattr(corner, name, getattr(source, name))
