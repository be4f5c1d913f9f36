"""Sessions put right: merged, split, moved to the combination or the driver that they belong to."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import Combination, CorrectionRow, Driver, Lap, PracticeSession, Remark, Run
from fleet_rival.services.drive.runs.places import free_label, track_of
from fleet_rival.services.shared.base import Actor, begin_change, find_row, named
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused
from fleet_rival.services.shared.revisions import raise_revisions

__all__ = ["Moved", "WhichRun", "merge_sessions", "move_runs", "split_session"]


@dataclass(frozen=True, slots=True)
class WhichRun:
    """A run within a session."""

    driver_id: UUID
    number: int


@dataclass(frozen=True, slots=True)
class Moved:
    """What a move did."""

    session_id: UUID
    """Where the runs are now."""
    session: str
    combination_id: UUID
    laps: int
    parts_lost: int
    """Laps whose sector and segment times belong to another layout and were left away."""


def merge_sessions(sessions: sessionmaker[Session], actor: Actor, into_id: UUID, other_id: UUID) -> Moved:
    """Put all runs of another session into one; runs of the same number are numbered on.

    Raises:
        Refused: the two are one already, or of different combinations.
    """
    with sessions.begin() as session:
        into, other = _two(session, actor, into_id, other_id)
        if into.id == other.id:
            raise Refused("That is the same session. Choose another one to put into it.")
        if into.combination_id != other.combination_id:
            raise Refused("These sessions are of different combinations. Move the other one first.")
        row = session.get_one(Combination, into.combination_id)
        begin_change(session, actor, "session.merge", f"Merged session {other.label} into {into.label}", into)
        laps, _ = _move(session, row, _laps(session, other), row, into)
        raise_revisions(session, actor.team_id, [row.id])
        return Moved(into.public_id, into.label, row.public_id, laps, 0)


def split_session(
    sessions: sessionmaker[Session], actor: Actor, session_id: UUID, runs: Sequence[WhichRun], label: str | None
) -> Moved:
    """Put some runs of a session into a new one, with the same conditions.

    Raises:
        Refused: none of its runs, or all of them.
    """
    with sessions.begin() as session:
        practice = find_row(session, PracticeSession, actor, session_id, "session", lock=True)
        row = session.get_one(Combination, practice.combination_id)
        chosen = _chosen(session, actor, practice, runs)
        if len(chosen) == len(_laps(session, practice)):
            raise Refused("These are all runs of the session: nothing would stay in it.")
        begin_change(session, actor, "session.split", f"Split session {practice.label}", practice)
        made = _new(session, actor, row, practice, label or practice.label)
        laps, _ = _move(session, row, chosen, row, made)
        raise_revisions(session, actor.team_id, [row.id])
        return Moved(made.public_id, made.label, row.public_id, laps, 0)


def move_runs(
    sessions: sessionmaker[Session],
    actor: Actor,
    session_id: UUID,
    runs: Sequence[WhichRun],
    combination_id: UUID | None = None,
    driver_id: UUID | None = None,
) -> Moved:
    """Move runs of a session (all where none is named) to the combination or the driver that they belong to.

    On another layout, times of sectors and segments are no times of its parts: they are left away, which an undo brings
        back.

    Raises:
        Refused: neither another combination nor another driver.
    """
    with sessions.begin() as session:
        practice = find_row(session, PracticeSession, actor, session_id, "session", lock=True)
        row = session.get_one(Combination, practice.combination_id)
        to = find_row(session, Combination, actor, combination_id, "combination") if combination_id is not None else row
        driver = find_row(session, Driver, actor, driver_id, "driver") if driver_id is not None else None
        chosen = _chosen(session, actor, practice, runs) if runs else _laps(session, practice)
        if not chosen:
            raise NotThere("This session has no laps any more.")
        if to.id == row.id and (driver is None or all(lap.driver_id == driver.id for lap in chosen)):
            raise Refused("They are there already. Choose another combination or another driver.")
        where = f"to {driver.name}" if driver is not None and to.id == row.id else "to another combination"
        begin_change(
            session, actor, "session.move", f"Moved {len(chosen)} laps of session {practice.label} {where}", practice
        )
        target = practice if to.id == row.id else _new(session, actor, to, practice, practice.label)
        laps, lost = _move(session, row, chosen, to, target, driver)
        raise_revisions(session, actor.team_id, {row.id, to.id})
        return Moved(target.public_id, target.label, to.public_id, laps, lost)


def _two(session: Session, actor: Actor, first: UUID, second: UUID) -> tuple[PracticeSession, PracticeSession]:
    """Two sessions, locked in one order, so that two who merge them crosswise don't wait for each other."""
    rows = {
        public_id: find_row(session, PracticeSession, actor, public_id, "session", lock=True)
        for public_id in sorted({first, second})
    }
    return rows[first], rows[second]


def _laps(session: Session, practice: PracticeSession) -> list[Lap]:
    query = select(Lap).where(Lap.team_id == practice.team_id, Lap.session_id == practice.id).order_by(Lap.id)
    return list(session.scalars(query))


def _chosen(session: Session, actor: Actor, practice: PracticeSession, runs: Sequence[WhichRun]) -> list[Lap]:
    drivers = {
        key: public_id
        for key, public_id in session.execute(
            select(Driver.id, Driver.public_id).where(Driver.team_id == actor.team_id)
        )
    }
    wanted = {(run.driver_id, run.number) for run in runs}
    chosen = [lap for lap in _laps(session, practice) if (drivers[lap.driver_id], lap.run) in wanted]
    if not wanted or {(drivers[lap.driver_id], lap.run) for lap in chosen} != wanted:
        raise NotThere("One of these runs no longer exists.")
    return chosen


def _new(session: Session, actor: Actor, row: Combination, like: PracticeSession, label: str) -> PracticeSession:
    made = PracticeSession(
        team_id=actor.team_id,
        combination_id=row.id,
        label=free_label(session, row, named(label, "session")),
        session_local=like.session_local,
        air_temp_c=like.air_temp_c,
        track_temp_c=like.track_temp_c,
        wetness=like.wetness,
        weather=like.weather,
    )
    session.add(made)
    session.flush()
    return made


def _move(
    session: Session,
    row: Combination,
    laps: Sequence[Lap],
    to: Combination,
    target: PracticeSession,
    driver: Driver | None = None,
) -> tuple[int, int]:
    """Give laps, with their declarations and what people said of them, another place; runs keep their number where
    it is free.

    Returns:
        How many laps were moved, and how many of them lost times of parts.
    """
    moving = {lap.id for lap in laps}
    numbers = _numbers(session, laps, target, driver)
    keep_parts = to.layout_id == row.layout_id
    codes = {part.code for part in track_of(session, to).segment_parts}
    declared = _declared(session, laps)
    lost = 0
    for lap in laps:
        new_driver = driver.id if driver is not None else lap.driver_id
        new_run = numbers[lap.session_id, lap.driver_id, lap.run]
        if not keep_parts and (
            lap.sectors or lap.segments or lap.strikes or lap.incidents or lap.mistakes or lap.options
        ):
            lost += bool(lap.sectors or lap.segments)
            lap.sectors = lap.segments = None
            for name in ("strikes", "incidents", "mistakes", "options"):
                setattr(lap, name, _still_there(getattr(lap, name), codes))
        lap.combination_id, lap.session_id, lap.driver_id, lap.run = to.id, target.id, new_driver, new_run
        lap.version += 1
    for (session_key, driver_key, number), made in declared.items():
        new_number = numbers[session_key, driver_key, number]
        made.combination_id, made.session_id, made.number = to.id, target.id, new_number
        made.driver_id = driver.id if driver is not None else made.driver_id
    if to.id != row.id:
        for keys in _batches(sorted(moving)):
            for remark in session.scalars(select(Remark).where(Remark.team_id == row.team_id, Remark.lap_id.in_(keys))):
                remark.combination_id = to.id
                if not keep_parts and remark.corner not in codes:
                    remark.corner = None
                if not keep_parts and remark.cause_corner not in codes:
                    remark.cause_corner = None
            for said in session.scalars(
                select(CorrectionRow).where(CorrectionRow.team_id == row.team_id, CorrectionRow.lap_id.in_(keys))
            ):
                said.combination_id = to.id
                if not keep_parts and said.corner not in codes:
                    session.delete(said)
                elif not keep_parts and said.cause_corner not in codes:
                    said.cause_corner = None
    try:
        session.flush()
    except IntegrityError as error:
        raise Conflict("Some of these laps are there already under the same run and number.") from error
    return len(laps), lost


def _numbers(
    session: Session, laps: Sequence[Lap], target: PracticeSession, driver: Driver | None
) -> dict[tuple[int, int, int], int]:
    """New run numbers: the old ones where they are free at the target, else numbered on. Runs that are at their
    place keep theirs.
    """

    def owner(lap: Lap) -> int:
        return driver.id if driver is not None else lap.driver_id

    leaving = {(lap.driver_id, lap.run) for lap in laps if lap.session_id == target.id}
    taken: dict[int, set[int]] = defaultdict(set)
    for table, number in ((Lap, Lap.run), (Run, Run.number)):
        query: Any = (
            select(table.driver_id, number)
            .where(table.team_id == target.team_id, table.session_id == target.id)
            .distinct()
        )
        for key, there in session.execute(query):
            if (key, there) not in leaving:
                taken[key].add(there)
    out: dict[tuple[int, int, int], int] = {}
    for lap in sorted(
        laps,
        key=lambda lap: (
            lap.session_id != target.id or lap.driver_id != owner(lap),
            lap.session_id,
            lap.driver_id,
            lap.run,
        ),
    ):
        old = (lap.session_id, lap.driver_id, lap.run)
        if old not in out:
            out[old] = lap.run if lap.run not in taken[owner(lap)] else max(taken[owner(lap)]) + 1
            taken[owner(lap)].add(out[old])
    return out


def _declared(session: Session, laps: Sequence[Lap]) -> Mapping[tuple[int, int, int], Run]:
    keys = {(lap.session_id, lap.driver_id, lap.run) for lap in laps}
    found = (
        session.scalars(select(Run).where(Run.team_id == laps[0].team_id, Run.session_id.in_({key[0] for key in keys})))
        if laps
        else ()
    )
    return {key: made for made in found if (key := (made.session_id or 0, made.driver_id, made.number or 0)) in keys}


def _still_there(tokens: str | None, codes: set[str]) -> str | None:
    """Tokens that name no corner, or one that the other layout has too."""

    def stays(token: str) -> bool:
        first, sign, second = token.partition(":")
        if not sign:
            first, _, second = token.partition("=")
        return first in codes or second in codes or first == "lap"

    return " ".join(token for token in (tokens or "").split() if stays(token)) or None


def _batches(keys: Sequence[int]) -> Iterable[Sequence[int]]:
    return (keys[start : start + 1000] for start in range(0, len(keys), 1000))
