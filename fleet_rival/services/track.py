"""Tracks and layouts: in from track files, out as the core's values."""

from dataclasses import dataclass
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.track import Corner, Sector, Track
from fleet_rival.db.tables import Layout, LayoutCorner, LayoutSector, TrackRow
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.tracks import read_track
from fleet_rival.services.base import Actor, begin_change
from fleet_rival.services.errors import Conflict, Refused

__all__ = ["LayoutView", "add_track", "layouts", "load_track"]


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
        row = session.scalar(select(TrackRow).where(TrackRow.team_id == actor.team_id, TrackRow.name == track.name).with_for_update())
        if row is None:
            row = TrackRow(team_id=actor.team_id, name=track.name)
            session.add(row)
            session.flush()
        layout = session.scalar(select(Layout).where(Layout.team_id == actor.team_id, Layout.track_id == row.id, Layout.name == track.layout))
        if layout is not None:
            if load_track(session, layout) != track:
                raise Conflict(
                    f"{track.name}, {track.layout} is already there with other boundaries. Give the layout another name in the file "
                    '("layout") to keep both.'
                )
            return _view(track, layout.public_id, already_there=True)
        layout = Layout(
            team_id=actor.team_id,
            track_id=row.id,
            name=track.layout,
            kind=track.kind,
            length_m=track.length_m,
            centreline_step_m=track.centreline_step_m,
            centreline_xy_m=[list(point) for point in track.centreline_xy_m] or None,
        )
        session.add(layout)
        session.flush()
        session.add_all(
            LayoutSector(team_id=actor.team_id, layout_id=layout.id, code=sector.code, start_m=sector.start_m) for sector in track.sectors
        )
        session.add_all(
            LayoutCorner(
                team_id=actor.team_id,
                layout_id=layout.id,
                code=corner.code,
                name=corner.name,
                start_m=corner.start_m,
                apex_m=corner.apex_m,
                end_m=corner.end_m,
                direction=corner.direction,
                linked_to_next=corner.linked_to_next,
            )
            for corner in track.corners
        )
        begin_change(session, actor, "track.add", f"Added {track.name}, {track.layout}")
        return _view(track, layout.public_id)


def layouts(sessions: sessionmaker[Session], actor: Actor) -> list[LayoutView]:
    """All layouts of the team, by name."""
    with sessions() as session:
        rows = session.scalars(select(Layout).where(Layout.team_id == actor.team_id))
        views = [_view(load_track(session, row, centreline=False), row.public_id) for row in rows]
    return sorted(views, key=lambda view: (view.track, view.layout))


def load_track(session: Session, layout: Layout, *, centreline: bool = True) -> Track:
    """A layout as the core knows it."""
    name = session.scalar(select(TrackRow.name).where(TrackRow.team_id == layout.team_id, TrackRow.id == layout.track_id)) or ""
    own = {"team_id": layout.team_id, "layout_id": layout.id}
    sectors = session.scalars(select(LayoutSector).filter_by(**own).order_by(LayoutSector.start_m))
    corners = session.scalars(select(LayoutCorner).filter_by(**own).order_by(LayoutCorner.start_m))
    points = (layout.centreline_xy_m or []) if centreline else []
    return Track(
        name=name,
        layout=layout.name,
        kind=layout.kind,
        length_m=layout.length_m,
        sectors=tuple(Sector(row.code, row.start_m) for row in sectors),
        corners=tuple(Corner(row.code, row.start_m, row.apex_m, row.end_m, row.name, row.direction, row.linked_to_next) for row in corners),
        centreline_step_m=layout.centreline_step_m if points else None,
        centreline_xy_m=tuple((point[0], point[1]) for point in points),
    )


def _view(track: Track, public_id: UUID, *, already_there: bool = False) -> LayoutView:
    return LayoutView(public_id, track.name, track.layout, track.kind, track.length_m, len(track.sectors), len(track.corners), already_there)
