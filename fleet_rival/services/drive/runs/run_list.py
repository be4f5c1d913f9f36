"""The runs of a combination in the order of driving."""

from collections import defaultdict
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.verdict import Use
from fleet_rival.db.tables import Combination, Driver, Lap, LapVerdict, PracticeSession, Run
from fleet_rival.services.drive.practice import PracticeView, practices
from fleet_rival.services.drive.runs.context import context_of
from fleet_rival.services.drive.runs.declare import (
    RunView,
    run_view,
    waiting_runs,
)
from fleet_rival.services.drive.verdicts import counts_for, settle
from fleet_rival.services.shared.base import Actor, find_row

__all__ = ["Driven", "RunLine", "SessionLine", "driven"]


@dataclass(frozen=True, slots=True)
class RunLine:
    """A run in the list of a session."""

    driver_id: UUID
    driver: str
    guest: bool
    number: int
    laps: int
    first_at: datetime | None
    best_us: int | None
    """The fastest lap that may be the best."""
    purpose: str | None
    compound: str | None
    setup: str | None
    declared: bool
    """Whether somebody said what it was: in a declaration, or in the file."""
    by_hand: bool


@dataclass(frozen=True, slots=True)
class SessionLine:
    """A session with its runs in the order of driving."""

    practice: PracticeView
    runs: tuple[RunLine, ...]


@dataclass(frozen=True, slots=True)
class Driven:
    """Everything that was driven in a combination, and the runs that wait for their laps."""

    sessions: tuple[SessionLine, ...]
    waiting: tuple[RunView, ...]


def driven(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID) -> Driven:
    """The sessions of a combination, the last one first, with their runs; a driver's own for who doesn't see all."""
    lines = practices(sessions, actor, combination_id)
    settle(sessions, actor, [combination_id])
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        runs = _run_lines(session, actor, row)
        own = None if actor.sees_all else actor.driver_id or 0
        waiting = []
        for made in waiting_runs(session, actor, row, own):
            waiting.append(
                run_view(session, row, session.get_one(Driver, made.driver_id), made, None, context_of(made))
            )
    return Driven(tuple(SessionLine(item, tuple(runs.get(item.id, ()))) for item in lines), tuple(waiting))


def _run_lines(session: Session, actor: Actor, row: Combination) -> dict[UUID, list[RunLine]]:
    first, best = func.min(Lap.started_at), func.min(func.if_(counts_for(Use.BEST), Lap.time_us, None))
    query: Any = (
        select(
            PracticeSession.public_id,
            Driver.public_id,
            Driver.name,
            Driver.guest,
            Lap.run,
            func.count(),
            first,
            best,
            func.max(Lap.purpose),
            func.max(Lap.compound),
            func.max(Lap.setup),
            func.max(Run.declared),
            func.max(Lap.plus_minus_us),
        )
        .join(Driver, (Driver.team_id == Lap.team_id) & (Driver.id == Lap.driver_id))
        .join(PracticeSession, (PracticeSession.team_id == Lap.team_id) & (PracticeSession.id == Lap.session_id))
        .outerjoin(
            Run,
            (Run.team_id == Lap.team_id)
            & (Run.session_id == Lap.session_id)
            & (Run.driver_id == Lap.driver_id)
            & (Run.number == Lap.run),
        )
        .outerjoin(LapVerdict, (LapVerdict.team_id == Lap.team_id) & (LapVerdict.lap_id == Lap.id))
        .where(Lap.team_id == actor.team_id, Lap.combination_id == row.id)
        .group_by(PracticeSession.id, Driver.id, Lap.run)
        .order_by(first.is_(None), first, Driver.name, Lap.run)
    )
    if not actor.sees_all:
        query = query.where(Lap.driver_id == actor.driver_id)
    out: dict[UUID, list[RunLine]] = defaultdict(list)
    for (
        practice,
        driver,
        name,
        guest,
        number,
        laps,
        began,
        fastest,
        purpose,
        compound,
        setup,
        said,
        hand,
    ) in session.execute(query):
        declared = bool(said) or purpose is not None
        out[practice].append(
            RunLine(
                driver, name, guest, number, laps, began, fastest, purpose, compound, setup, declared, hand is not None
            )
        )
    return out
