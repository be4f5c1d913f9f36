"""Runs declared before they start: the last one is the template, and the check asks only what can be forgotten."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from datetime import datetime, timedelta
from typing import Any
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.runs.context import RunContext
from fleet_rival.core.runs.precheck import Check, pre_drive_check
from fleet_rival.db.tables import Car, Combination, Driver, Lap, PracticeSession, Run
from fleet_rival.services.drive.runs.context import (
    FIELDS,
    context_of,
    read_context,
    said_by_laps,
    write_context,
    write_to_laps,
)
from fleet_rival.services.drive.runs.places import Place, RunKey, driver_of, find_place, laps_in, run_row, track_of
from fleet_rival.services.shared.base import Actor, about, begin_change, check_version, find_row
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.services.shared.revisions import raise_revisions
from fleet_rival.services.week.rows import week_begun_last
from fleet_rival.services.week.setup_sheets import setup_labels, setup_warnings
from fleet_rival.wording.runs import DECLARED_LAST, check_words

__all__ = [
    "CheckView",
    "RunView",
    "Template",
    "change_run",
    "checks",
    "declare",
    "effective_context",
    "last_context",
    "remove_run",
    "run_view",
    "template",
    "waiting_runs",
]

_WAITING: timedelta = timedelta(hours=12)
"""How long a declared run waits for its laps."""


@dataclass(frozen=True, slots=True)
class RunView:
    """A run as it was declared, or as its laps and the run before say where it wasn't."""

    id: UUID | None
    """None: nobody declared it yet."""
    version: int
    combination_id: UUID
    driver_id: UUID
    driver: str
    guest: bool
    session_id: UUID | None
    """None: no lap has arrived yet."""
    session: str | None
    number: int | None
    declared_at: datetime | None
    context: dict[str, Any]
    checks: tuple[dict[str, Any], ...]
    handling: dict[str, Any]
    readings: tuple[dict[str, Any], ...]
    note: str | None


@dataclass(frozen=True, slots=True)
class CheckView:
    """One line of the check before a run."""

    key: str
    why: str
    words: str


@dataclass(frozen=True, slots=True)
class Template:
    """What a new run begins with."""

    context: dict[str, Any]
    from_run: str | None
    """Which run it was taken from, in words."""
    in_car: tuple[dict[str, Any], ...]
    """The settings that the car has: name, unit, low, high, step, default."""
    assists: tuple[str, ...]
    known: dict[str, tuple[str, ...]]
    """What was written before, by field, the last first."""
    tank_l: float | None
    battery_kwh: float | None


def template(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID, driver_id: UUID) -> Template:
    """What a driver's next run begins with: the last one, with its tyres older and its options as they were."""
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        driver = driver_of(session, actor, driver_id)
        car = session.get_one(Car, row.car_id)
        found = last_context(session, row, driver)
        context, said = found if found else (RunContext(), None)
        if found is None:
            context = replace(
                context,
                settings={
                    item["name"]: str(item["default"]) for item in car.settings if item.get("default") is not None
                },
            )
        return Template(
            context_out(context),
            said,
            tuple(car.settings),
            tuple(car.assists),
            _known(session, actor, row),
            car.tank_l,
            car.battery_kwh,
        )


def last_context(session: Session, row: Combination, driver: Driver) -> tuple[RunContext, str] | None:
    """The context of a driver's last run in a combination, with tyres as old as they are after it, and which run
    that was.
    """
    own = (Run.team_id == row.team_id, Run.combination_id == row.id, Run.driver_id == driver.id, Run.declared)
    declared = session.scalar(select(Run).where(*own).order_by(Run.id.desc()).limit(1))
    newest = session.execute(
        select(Lap.session_id, Lap.run, func.count(), func.max(Lap.id))
        .where(Lap.team_id == row.team_id, Lap.combination_id == row.id, Lap.driver_id == driver.id)
        .group_by(Lap.session_id, Lap.run)
        .order_by(func.max(Lap.started_at).desc(), func.max(Lap.id).desc())
        .limit(1)
    ).first()
    if declared is not None and (newest is None or declared.session_id is None):
        return context_of(declared), DECLARED_LAST
    if newest is None:
        return None
    session_key, number, laps, _ = newest
    practice = session.get_one(PracticeSession, session_key)
    context = effective_context(session, Place(row, practice, driver, number), declared)
    if context.tyre_age is not None:
        context = replace(context, tyre_age=context.tyre_age + laps)
    return context, f"run {number} of session {practice.label}"


def effective_context(session: Session, place: Place, otherwise: Run | None = None) -> RunContext:
    """What a run whose laps are there was: as it was declared, and where nothing was, as its laps say.

    Args:
        otherwise: a declaration that counts where the run has none of its own.
    """
    said, made = said_by_laps(laps_in(session, place)), run_row(session, place) or otherwise
    return merged(context_of(made), said) if made is not None else said


def merged(declared: RunContext, said: RunContext) -> RunContext:
    """What was declared, and where nothing was, what the laps say."""
    empty = RunContext()
    values = {
        item.name: getattr(declared, item.name)
        if getattr(declared, item.name) != getattr(empty, item.name)
        else getattr(said, item.name)
        for item in fields(RunContext)
    }
    return RunContext(**values)


def checks(
    sessions: sessionmaker[Session], actor: Actor, combination_id: UUID, driver_id: UUID, values: Mapping[str, Any]
) -> tuple[CheckView, ...]:
    """What to tick off before a run with this context."""
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        driver = driver_of(session, actor, driver_id)
        told = [CheckView(item.key, item.why, check_words(item)) for item in _checks(session, row, driver, values)]
        week = week_begun_last(session, actor.team_id, row.layout_id)
        warned = setup_warnings(
            session, row, read_context(values, track_of(session, row)), week.wetness if week else None
        )
        return (*(CheckView(f"setup-warning-{number}", "warning", words) for number, words in enumerate(warned)), *told)


def _checks(session: Session, row: Combination, driver: Driver, values: Mapping[str, Any]) -> tuple[Check, ...]:
    context = read_context(values, track_of(session, row))
    found = last_context(session, row, driver)
    return pre_drive_check(
        context, found[0] if found else None, [item["name"] for item in session.get_one(Car, row.car_id).settings]
    )


def declare(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    driver_id: UUID,
    values: Mapping[str, Any],
    done: Sequence[str],
) -> RunView:
    """Declare a run that starts now. The laps that arrive next belong to it.

    Args:
        done: keys of the checks that were ticked off; the others stay with the run as skipped.
    """
    with sessions.begin() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        driver = driver_of(session, actor, driver_id)
        context = read_context(values, track_of(session, row))
        asked = _checks(session, row, driver, values)
        change_set = begin_change(session, actor, "run.declare", f"Declared a run of {driver.name}", row)
        made = _empty_run(row, driver)
        made.checks = [
            {"key": item.key, "why": item.why, "words": check_words(item), "done": item.key in done} for item in asked
        ]
        write_context(made, context)
        session.add(made)
        session.flush()
        about(session, change_set, made)
        return run_view(session, row, driver, made, None, context)


def change_run(
    sessions: sessionmaker[Session], actor: Actor, run_id: UUID, version: int, values: Mapping[str, Any]
) -> RunView:
    """Say something else of a run; its laps follow.

    Raises:
        Outdated: somebody changed it meanwhile.
    """
    with sessions.begin() as session:
        made = find_row(session, Run, actor, run_id, "run", lock=True)
        driver = session.get_one(Driver, made.driver_id)
        driver_of(session, actor, driver.public_id)
        check_version(made, version, "run")
        row = session.get_one(Combination, made.combination_id)
        practice = session.get_one(PracticeSession, made.session_id) if made.session_id is not None else None
        before, after = context_of(made), read_context(values, track_of(session, row))
        begin_change(session, actor, "run.change", f"Changed what is said of a run of {driver.name}", made)
        write_context(made, after)
        made.declared = True
        if practice is not None and made.number is not None:
            laps = laps_in(session, Place(row, practice, driver, made.number))
            if write_to_laps(laps, merged(before, said_by_laps(laps)), after):
                raise_revisions(session, actor.team_id, [row.id])
        session.flush()
        return run_view(session, row, driver, made, practice, after)


def say_of_run(sessions: sessionmaker[Session], actor: Actor, key: RunKey, values: Mapping[str, Any]) -> RunView:
    """Declare a run whose laps are there already, or confirm what was supposed of it.

    Raises:
        NotThere: no such run.
        Refused: it was declared already.
    """
    with sessions.begin() as session:
        place = find_place(session, actor, key, lock=True)
        laps = laps_in(session, place)
        if not laps:
            raise NotThere("This run has no laps, or no longer exists.")
        if run_row(session, place) is not None:
            raise Refused("This run is declared already. Look at it again, then change it.")
        context = read_context(values, track_of(session, place.combination))
        change_set = begin_change(
            session, actor, "run.declare", f"Said what a run of {place.driver.name} was", place.combination
        )
        made = new_run(place)
        write_context(made, context)
        session.add(made)
        session.flush()
        about(session, change_set, made)
        if write_to_laps(laps, said_by_laps(laps), context):
            raise_revisions(session, actor.team_id, [place.combination.id])
        session.flush()
        return run_view(session, place.combination, place.driver, made, place.practice, context)


def new_run(place: Place) -> Run:
    """A row for a run whose laps are there, with nothing said of it yet."""
    made = _empty_run(place.combination, place.driver)
    made.session_id, made.number = place.practice.id, place.number
    return made


def _empty_run(row: Combination, driver: Driver) -> Run:
    keys = {"team_id": row.team_id, "combination_id": row.id, "driver_id": driver.id}
    return Run(
        **keys, session_kind="practice", declared=True, settings={}, watch=[], checks=[], handling={}, readings=[]
    )


def remove_run(sessions: sessionmaker[Session], actor: Actor, run_id: UUID) -> None:
    """Forget a declaration; laps that arrived stay with what they say."""
    with sessions.begin() as session:
        made = find_row(session, Run, actor, run_id, "run", lock=True)
        driver = session.get_one(Driver, made.driver_id)
        driver_of(session, actor, driver.public_id)
        begin_change(session, actor, "run.remove", f"Forgot what was declared of a run of {driver.name}", made)
        session.delete(made)


def waiting_runs(
    session: Session, actor: Actor, row: Combination | None = None, driver_id: int | None = None
) -> list[Run]:
    """Declared runs that wait for their laps, the first declared first; of one combination or driver where they are
    named.
    """
    query = select(Run).where(Run.team_id == actor.team_id, Run.session_id.is_(None), Run.created_at > now() - _WAITING)
    if row is not None:
        query = query.where(Run.combination_id == row.id)
    if driver_id is not None:
        query = query.where(Run.driver_id == driver_id)
    return list(session.scalars(query.order_by(Run.id)))


def run_view(
    session: Session,
    row: Combination,
    driver: Driver,
    made: Run | None,
    practice: PracticeSession | None,
    context: RunContext,
) -> RunView:
    """A run as it is handed on.

    Args:
        made: what was declared; None: nothing was.
        practice: its session; None: it waits for its laps.
    """
    return RunView(
        made.public_id if made else None,
        made.version if made else 0,
        row.public_id,
        driver.public_id,
        driver.name,
        driver.guest,
        practice.public_id if practice else None,
        practice.label if practice else None,
        made.number if made else None,
        made.created_at if made else None,
        context_out(context),
        tuple(made.checks) if made else (),
        dict(made.handling) if made else {},
        tuple(made.readings) if made else (),
        made.note if made else None,
    )


def context_out(context: RunContext) -> dict[str, Any]:
    """A context as forms show it: options as text."""
    out = {name: getattr(context, name) for name in FIELDS}
    out["options"] = ", ".join(f"{where} = {label.replace('-', ' ')}" for where, label in context.options)
    out["watch"], out["settings"] = list(context.watch), dict(context.settings)
    return out


def _known(session: Session, actor: Actor, row: Combination) -> dict[str, tuple[str, ...]]:
    """Words that were used in this combination, to be offered again."""
    out = {}
    for name in ("tyre_set", "compound", "setup", "assists"):
        column = getattr(Lap, name)
        query = (
            select(column)
            .where(Lap.team_id == actor.team_id, Lap.combination_id == row.id, column.is_not(None))
            .group_by(column)
            .order_by(func.max(Lap.id).desc())
            .limit(12)
        )
        out[name] = tuple(session.scalars(query))
    written = setup_labels(session, row)
    out["setup"] = (*(label for label in written if label not in out["setup"]), *out["setup"])
    return out
