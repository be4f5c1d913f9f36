"""Tracks and layouts: in from track files, out as the core's values."""

from dataclasses import dataclass
from typing import Any
from uuid import UUID

from sqlalchemy import bindparam, func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.track import Corner, Pit, Sector, Track
from fleet_rival.db.tables import Layout, LayoutCorner, LayoutSector, TrackRow
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.tracks import read_track
from fleet_rival.services.shared.base import Actor, about, begin_change
from fleet_rival.services.shared.errors import Conflict, Refused
from fleet_rival.services.week.rows import link_layouts

__all__ = ["LayoutView", "add_track", "corner_values", "layouts", "load_track", "pit_values", "store_track"]


@dataclass(frozen=True, slots=True)
class LayoutView:
    """A layout in a list."""

    id: UUID
    track: str
    layout: str
    kind: str
    length_m: float
    sectors: int
    corners: int
    already_there: bool = False


def add_track(sessions: sessionmaker[Session], actor: Actor, content: bytes) -> LayoutView:
    """Take a track file in; the same file twice changes nothing.

    Raises:
        Refused: the file can't be used.
        Conflict: the layout is there with other sectors or corners.
    """
    try:
        track = read_track(content)
    except UnusableFile as error:
        raise Refused(str(error)) from error
    with sessions.begin() as session:
        row = session.scalar(
            select(TrackRow).where(TrackRow.team_id == actor.team_id, TrackRow.name == track.name).with_for_update()
        )
        own = (Layout.team_id == actor.team_id, Layout.name == track.layout)
        layout = session.scalar(select(Layout).where(*own, Layout.track_id == row.id)) if row else None
        if layout is not None:
            if load_track(session, layout) != track:
                raise Conflict(
                    f"{track.name}, {track.layout} is already there with other boundaries. Give the layout another "
                    "name in the file "
                    '("layout") to keep both.'
                )
            return _view(track, layout.public_id, already_there=True)
        return _view(track, store_track(session, actor, track, f"Added {track.name}, {track.layout}").public_id)


def store_track(session: Session, actor: Actor, track: Track, summary: str) -> Layout:
    """Write a layout that isn't there yet, as an act of its own; the track is made where it isn't known.

    Raises:
        Conflict: there is a layout of this name.
    """
    change_set = begin_change(session, actor, "track.add", summary)
    row = session.scalar(
        select(TrackRow).where(TrackRow.team_id == actor.team_id, TrackRow.name == track.name).with_for_update()
    )
    if row is None:
        row = TrackRow(team_id=actor.team_id, name=track.name)
        session.add(row)
        session.flush()
    elif session.scalar(
        select(Layout.id).where(Layout.team_id == actor.team_id, Layout.track_id == row.id, Layout.name == track.layout)
    ):
        raise Conflict(f"{track.name}, {track.layout} is there already. Give the layout another name.")
    layout = Layout(
        team_id=actor.team_id,
        track_id=row.id,
        name=track.layout,
        kind=track.kind,
        length_m=track.length_m,
        centreline_step_m=track.centreline_step_m,
        centreline_xy_m=[list(point) for point in track.centreline_xy_m] or None,
        **pit_values(track.pit),
    )
    session.add(layout)
    session.flush()
    session.add_all(
        LayoutSector(team_id=actor.team_id, layout_id=layout.id, code=sector.code, start_m=sector.start_m)
        for sector in track.sectors
    )
    session.add_all(
        LayoutCorner(team_id=actor.team_id, layout_id=layout.id, **corner_values(corner)) for corner in track.corners
    )
    session.flush()
    link_layouts(session, actor, layout, track.name)
    about(session, change_set, layout)
    return layout


def corner_values(corner: Corner) -> dict[str, Any]:
    """Where a corner lies, as column values."""
    names = ("code", "name", "start_m", "apex_m", "end_m", "direction", "linked_to_next")
    return {name: getattr(corner, name) for name in names}


def pit_values(pit: Pit | None) -> dict[str, Any]:
    """A pit lane as column values."""
    return {f"pit_{name}": getattr(pit, name) if pit else None for name in ("entry_m", "exit_m", "side", "limit_kmh")}


def layouts(sessions: sessionmaker[Session], actor: Actor) -> list[LayoutView]:
    """All layouts of the team, by name."""
    own = (LayoutSector.team_id == Layout.team_id) & (LayoutSector.layout_id == Layout.id)
    sectors = select(func.count()).select_from(LayoutSector).where(own).scalar_subquery()
    corners = (
        select(func.count())
        .select_from(LayoutCorner)
        .where(LayoutCorner.team_id == Layout.team_id, LayoutCorner.layout_id == Layout.id)
    )
    query = (
        select(
            Layout.public_id,
            TrackRow.name,
            Layout.name.label("layout"),
            Layout.kind,
            Layout.length_m,
            sectors,
            corners.scalar_subquery(),
        )
        .join(TrackRow, (TrackRow.team_id == Layout.team_id) & (TrackRow.id == Layout.track_id))
        .where(Layout.team_id == actor.team_id)
        .order_by(TrackRow.name, Layout.name)
    )
    with sessions() as session:
        return [LayoutView(*row) for row in session.execute(query)]


_SECTORS = (
    select(LayoutSector.code, LayoutSector.start_m)
    .where(LayoutSector.team_id == bindparam("team"), LayoutSector.layout_id == bindparam("layout"))
    .order_by(LayoutSector.start_m)
)
_CORNERS = (
    select(
        *(
            getattr(LayoutCorner, name)
            for name in ("code", "start_m", "apex_m", "end_m", "name", "direction", "linked_to_next", "given_up_for")
        )
    )
    .where(LayoutCorner.team_id == bindparam("team"), LayoutCorner.layout_id == bindparam("layout"))
    .order_by(LayoutCorner.start_m)
)


def load_track(session: Session, layout: Layout, *, centreline: bool = True) -> Track:
    """A layout as the core knows it."""
    name = (
        session.scalar(select(TrackRow.name).where(TrackRow.team_id == layout.team_id, TrackRow.id == layout.track_id))
        or ""
    )
    # Columns alone: it is asked for with each answer that is computed.
    sectors = session.execute(_SECTORS, {"team": layout.team_id, "layout": layout.id})
    corners = session.execute(_CORNERS, {"team": layout.team_id, "layout": layout.id})
    points = (layout.centreline_xy_m or []) if centreline else []
    return Track(
        name=name,
        layout=layout.name,
        kind=layout.kind,
        length_m=layout.length_m,
        sectors=tuple(Sector(*row) for row in sectors),
        corners=tuple(Corner(*row) for row in corners),
        centreline_step_m=layout.centreline_step_m if points else None,
        centreline_xy_m=tuple((point[0], point[1]) for point in points),
        pit=_pit(layout),
    )


def _pit(layout: Layout) -> Pit | None:
    if layout.pit_entry_m is None or layout.pit_exit_m is None:
        return None
    return Pit(layout.pit_entry_m, layout.pit_exit_m, layout.pit_side, layout.pit_limit_kmh)


def _view(track: Track, public_id: UUID, *, already_there: bool = False) -> LayoutView:
    return LayoutView(
        public_id,
        track.name,
        track.layout,
        track.kind,
        track.length_m,
        len(track.sectors),
        len(track.corners),
        already_there,
    )
