"""Sectors and corners with other boundaries: which laps lose which times, and the change itself, whole and taken
back whole.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.book.boundaries import Retiming, retiming
from fleet_rival.core.track import BadTrack, Corner, Sector, Track
from fleet_rival.db.tables import (
    Assignment,
    Car,
    Combination,
    CorrectionRow,
    Lap,
    Layout,
    LayoutCorner,
    LayoutSector,
    LikeKind,
    OpenQuestion,
    ReferenceRow,
    Remark,
    Run,
    TraceRow,
)
from fleet_rival.services.shared.base import UNWATCHED, Actor, Work, begin_change, check_version, find_row
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused
from fleet_rival.services.shared.revisions import raise_revisions
from fleet_rival.services.track.retiming import recoded, retime, tokens
from fleet_rival.services.track.tracks import corner_values, load_track
from fleet_rival.wording.book import harder_than_before

__all__ = ["Consequences", "DraftCorner", "Losing", "change_boundaries", "look_at_boundaries"]


@dataclass(frozen=True, slots=True)
class DraftCorner:
    """A corner as it shall be."""

    id: UUID | None
    """None for a new one."""
    corner: Corner


@dataclass(frozen=True, slots=True)
class Losing:
    """Laps of a combination that lose times."""

    combination_id: UUID
    car: str
    laps: int


@dataclass(frozen=True, slots=True)
class Renamed:
    """Old and new code of a corner."""

    old: str
    new: str


@dataclass(frozen=True, slots=True)
class Consequences:
    """What a change of boundaries would do."""

    lost: tuple[str, ...]
    """Codes of the parts whose times are lost."""
    summed: tuple[str, ...]
    """Codes of parts whose times are exact sums of earlier parts."""
    renamed: tuple[Renamed, ...]
    """Corners whose marks go by another code from then on."""
    losing: tuple[Losing, ...]
    laps: int
    """How many laps are written anew."""
    traced: int
    """How many of them have traces, from which lost times are read anew."""


@dataclass(frozen=True, slots=True)
class BoundariesTold:
    """How many laps were written anew, and codes of corners that are gone."""

    laps: int
    lost: tuple[str, ...]


def look_at_boundaries(
    sessions: sessionmaker[Session],
    actor: Actor,
    layout_id: UUID,
    sectors: Sequence[Sector],
    corners: Sequence[DraftCorner],
) -> Consequences:
    """What a change would do to laps, without doing it.

    Raises:
        Refused: the boundaries contradict each other.
    """
    with sessions() as session:
        row = find_row(session, Layout, actor, layout_id, "layout")
        plan, _ = _plan(session, row, sectors, corners)
        counts = session.execute(
            select(Combination.public_id, Car.name, func.count(Lap.id))
            .join(Car, (Car.team_id == Combination.team_id) & (Car.id == Combination.car_id))
            .join(Lap, (Lap.team_id == Combination.team_id) & (Lap.combination_id == Combination.id))
            .where(Combination.team_id == actor.team_id, Combination.layout_id == row.id)
            .where((Lap.segments.is_not(None)) | (Lap.sectors.is_not(None)))
            .group_by(Combination.id)
            .order_by(Car.name)
        ).all()
        losing = tuple(Losing(*count) for count in counts) if plan.changes_laps else ()
        renamed = tuple(Renamed(old, new) for old, new in plan.codes.items())
        summed = tuple(
            new for parts in (plan.sectors, plan.segments) for new, old in parts.items() if old and len(old) > 1
        )
        traced = session.scalar(
            select(func.count(TraceRow.id))
            .join(Combination, (Combination.team_id == TraceRow.team_id) & (Combination.id == TraceRow.combination_id))
            .where(Combination.team_id == actor.team_id, Combination.layout_id == row.id)
        )
        laps = sum(item.laps for item in losing) if plan.changes_laps else 0
        return Consequences(
            plan.lost, summed, renamed, losing if plan.lost else (), laps, (traced or 0) if plan.changes_laps else 0
        )


def change_boundaries(
    sessions: sessionmaker[Session],
    actor: Actor,
    layout_id: UUID,
    version: int,
    sectors: Sequence[Sector],
    corners: Sequence[DraftCorner],
    work: Work = UNWATCHED,
) -> Consequences:
    """Give a layout other boundaries: laps keep what stays exact and lose the rest; references and questions follow
    their corners.

    Raises:
        Outdated: somebody changed the layout meanwhile.
        Refused: the boundaries contradict each other.
        Conflict: references hang on corners, and no corner is left.
    """
    told = look_at_boundaries(sessions, actor, layout_id, sectors, corners)
    with sessions.begin() as session:
        row = find_row(session, Layout, actor, layout_id, "layout", lock=True)
        check_version(row, version, "layout")
        plan, new = _plan(session, row, sectors, corners)
        change_set = begin_change(
            session, actor, "track.boundaries", f"Changed the boundaries of {new.name}, {new.layout}", row
        )
        row.edition += 1
        _write_sectors(session, row, new)
        _write_corners(session, row, new, corners, plan)
        session.flush()
        # Locked, so that no lap comes in by the old boundaries meanwhile.
        own = select(Combination.id).where(Combination.team_id == actor.team_id, Combination.layout_id == row.id)
        keys = list(session.scalars(own.with_for_update()))
        done = retime(session, row.team_id, keys, plan, new, change_set, work) if plan.changes_laps else 0
        _recode_runs(session, row.team_id, keys, plan)
        raise_revisions(session, actor.team_id, keys)
        work.finish(session, BoundariesTold(done, plan.lost))
        return replace(told, laps=done)


def _plan(
    session: Session, row: Layout, sectors: Sequence[Sector], drafts: Sequence[DraftCorner]
) -> tuple[Retiming, Track]:
    there = {corner.public_id: corner.code for corner in _corners(session, row)}
    named = [draft.id for draft in drafts if draft.id is not None]
    if not set(named) <= there.keys() or len(set(named)) < len(named):
        raise NotThere("One of these corners doesn't exist, or no longer does.")
    old = load_track(session, row, centreline=False)
    try:
        new = replace(old, sectors=tuple(sectors), corners=tuple(draft.corner for draft in drafts))
    except BadTrack as error:
        raise Refused(f"These boundaries can't be: {error}.") from error
    same = {there[draft.id]: draft.corner.code for draft in drafts if draft.id is not None}
    return retiming(old, new, same), new


def _corners(session: Session, row: Layout) -> list[LayoutCorner]:
    query = select(LayoutCorner).where(LayoutCorner.team_id == row.team_id, LayoutCorner.layout_id == row.id)
    return list(session.scalars(query.order_by(LayoutCorner.start_m)))


def _write_sectors(session: Session, row: Layout, new: Track) -> None:
    there = {
        sector.code: sector
        for sector in session.scalars(
            select(LayoutSector).where(LayoutSector.team_id == row.team_id, LayoutSector.layout_id == row.id)
        )
    }
    for sector in new.sectors:
        kept = there.pop(sector.code, None)
        if kept is None:
            session.add(LayoutSector(team_id=row.team_id, layout_id=row.id, code=sector.code, start_m=sector.start_m))
        elif kept.start_m != sector.start_m:
            kept.start_m = sector.start_m
    for gone in there.values():
        session.delete(gone)


def _write_corners(session: Session, row: Layout, new: Track, drafts: Sequence[DraftCorner], plan: Retiming) -> None:
    there = {corner.public_id: corner for corner in _corners(session, row)}
    kept = {draft.id: draft.corner for draft in drafts if draft.id is not None}
    gone = [corner for public_id, corner in there.items() if public_id not in kept]
    renamed = [(there[public_id], corner) for public_id, corner in kept.items() if there[public_id].code != corner.code]
    # Codes that are exchanged would be there twice for a moment.
    for index, (corner, _) in enumerate(renamed):
        corner.code = f"\N{SOFT HYPHEN}{index}"
    for index, corner in enumerate(gone):
        corner.code = f"\N{SOFT HYPHEN}gone {index}"
    if renamed or gone:
        session.flush()
    for public_id, wanted in kept.items():
        for name, value in corner_values(wanted).items():
            if getattr(there[public_id], name) != value:
                setattr(there[public_id], name, value)
    session.add_all(
        LayoutCorner(team_id=row.team_id, layout_id=row.id, **corner_values(draft.corner))
        for draft in drafts
        if draft.id is None
    )
    session.flush()
    _rehang(session, row, gone)
    _follow_codes(session, row, plan)
    for corner in gone:
        session.delete(corner)


def _follow_codes(session: Session, row: Layout, plan: Retiming) -> None:
    """What names a corner by its code names it by the new one."""
    if not plan.codes:
        return
    corners = _corners(session, row)
    for corner in corners:
        if corner.given_up_for:
            now = plan.code(corner.given_up_for)
            # Nobody gives time up in a corner for the same one.
            corner.given_up_for = now if now != corner.code else None
    codes = {corner.id: corner.code for corner in corners}
    for reference in session.scalars(
        select(ReferenceRow).where(ReferenceRow.team_id == row.team_id, ReferenceRow.layout_id == row.id)
    ):
        if reference.harder_than:
            now = plan.code(reference.harder_than)
            if now == codes[reference.corner_id] and not (reference.thing or reference.offset_words):
                reference.thing = harder_than_before(reference.harder_than)
            reference.harder_than = now if now != codes[reference.corner_id] else None


def _recode_runs(session: Session, team_id: int, combinations: Sequence[int], plan: Retiming) -> None:
    """Remarks, what people said of passes, exercises, and options of declared runs name their corners by the new
    codes.
    """
    if not plan.codes:
        return
    for remark in session.scalars(
        select(Remark).where(
            Remark.team_id == team_id, Remark.combination_id.in_(combinations), Remark.corner.is_not(None)
        )
    ):
        if (now := plan.code(remark.corner or "")) != remark.corner:
            remark.corner = now
        if remark.cause_corner and (now := plan.code(remark.cause_corner)) != remark.cause_corner:
            remark.cause_corner = now
    tables: tuple[Any, ...] = (CorrectionRow, LikeKind, Assignment)
    for table in tables:
        for item in session.scalars(
            select(table).where(table.team_id == team_id, table.combination_id.in_(combinations))
        ):
            if (now := plan.code(item.corner)) != item.corner:
                item.corner = now
            if (cause := getattr(item, "cause_corner", None)) and (now := plan.code(cause)) != cause:
                item.cause_corner = now
    for run in session.scalars(
        select(Run).where(Run.team_id == team_id, Run.combination_id.in_(combinations), Run.options.is_not(None))
    ):
        now_options = tokens(run.options, lambda token: recoded(token, "=", plan, last=False))
        if now_options != run.options:
            run.options = now_options


def _rehang(session: Session, row: Layout, gone: Sequence[LayoutCorner]) -> None:
    """What hangs on a corner that goes moves to the one in whose segment its apex lies, or to the first."""
    left = [corner for corner in _corners(session, row) if corner not in gone]
    for corner in gone:
        to = next((item for item in reversed(left) if item.start_m <= corner.apex_m), left[0] if left else None)
        tables: tuple[Any, ...] = (ReferenceRow, OpenQuestion)
        for table in tables:
            for item in session.scalars(
                select(table).where(table.team_id == row.team_id, table.corner_id == corner.id)
            ):
                if to is None:
                    raise Conflict(
                        "References or questions hang on these corners. A layout without a corner can't hold them."
                    )
                item.corner_id = to.id
    session.flush()
