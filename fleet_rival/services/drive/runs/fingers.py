"""Laps by fingers and eyes: typed, or timed with a key while somebody's screen is watched."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.runs.hand_timing import BadPresses, timed_lap
from fleet_rival.core.runs.typed import CantRead, TypedLap, read_typed
from fleet_rival.core.times import format_time
from fleet_rival.core.words import GUEST
from fleet_rival.db.laps import lap_values
from fleet_rival.db.tables import Combination, Driver, Lap
from fleet_rival.services.drive.runs.arrive import act_of, keep_laps
from fleet_rival.services.drive.runs.declare import waiting_runs
from fleet_rival.services.drive.runs.places import (
    Place,
    RunKey,
    driver_of,
    find_place,
    laps_in,
    open_session_for_hands,
    run_row,
    session_for_hands,
    track_of,
)
from fleet_rival.services.drive.runs.reactions import reaction_known
from fleet_rival.services.shared.base import Actor, begin_change, check_version, find_row, named
from fleet_rival.services.shared.errors import Conflict, Refused
from fleet_rival.services.shared.revisions import raise_revisions

__all__ = ["KeptLap", "Lane", "begin", "mend_typed", "time_lap", "type_lap"]


@dataclass(frozen=True, slots=True)
class KeptLap:
    """A lap as it was taken down, to be read back."""

    number: int
    version: int
    time_us: int
    kind: str
    valid: bool
    sectors: dict[str, int]
    plus_minus_us: int | None
    words: str
    """What was noted beside the time, in words."""


@dataclass(frozen=True, slots=True)
class Lane:
    """Where a driver's next laps go."""

    session_id: UUID
    session: str
    driver_id: UUID
    driver: str
    guest: bool
    run: int
    run_id: UUID | None
    """Of what was declared; None: undeclared."""
    purpose: str | None
    watch: tuple[str, ...]
    next_number: int
    laps: tuple[KeptLap, ...]
    """Of this run so far."""
    expected_us: int | None
    """What a lap is completed from where none was typed yet: the driver's last one here, or anybody's."""
    sectors: tuple[str, ...]


def begin(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    driver_id: UUID | None,
    guest: str | None = None,
    *,
    new_run: bool = False,
) -> Lane:
    """Open a lane for laps by hand: the run declared last, else the driver's run of this evening, else a new one.

    Args:
        driver_id: whose laps; None for a guest who is named instead.
        guest: name of somebody outside the team, made where there is none of this name.
        new_run: begin another run.

    Raises:
        Refused: neither driver nor guest; or the guest's name is that of a driver of the team.
    """
    with sessions.begin() as session:
        row = session.scalars(
            select(Combination)
            .where(Combination.team_id == actor.team_id, Combination.public_id == combination_id)
            .with_for_update()
        ).first() or find_row(session, Combination, actor, combination_id, "combination")
        driver = driver_of(session, actor, driver_id) if driver_id is not None else _guest(session, actor, guest)
        practice = session_for_hands(session, actor, row)
        if practice is None:
            begin_change(session, actor, "run.begin", "Opened a session for laps by hand", row)
            practice = open_session_for_hands(session, actor, row)
        own = (Lap.team_id == actor.team_id, Lap.session_id == practice.id, Lap.driver_id == driver.id)
        last = session.scalar(select(func.max(Lap.run)).where(*own)) or 0
        waits = bool(waiting_runs(session, actor, row, driver.id))
        number = max(1, last + 1 if new_run or waits else last)
        return _lane(session, row, Place(row, practice, driver, number), waits)


def _guest(session: Session, actor: Actor, name: str | None) -> Driver:
    if not actor.sees_all:
        raise Refused("Guests' laps are taken down by a manager or a coach.")
    if not name:
        raise Refused("Choose a driver, or name a guest.")
    given = named(name, "guest")
    found = session.scalar(select(Driver).where(Driver.team_id == actor.team_id, Driver.name == given))
    if found is None:
        begin_change(session, actor, "driver.add", f"Added the guest {given}")
        found = Driver(team_id=actor.team_id, name=given, guest=True)
        session.add(found)
        session.flush()
    elif not found.guest:
        raise Refused(f"{given} is a driver of the team. Choose them in the list instead.")
    return found


def _lane(session: Session, row: Combination, place: Place, waits: bool) -> Lane:
    laps = laps_in(session, place)
    run = run_row(session, place)
    if run is None and waits:
        actor = Actor(row.team_id, 0, "manager")
        run = waiting_runs(session, actor, row, place.driver.id)[-1]
    return Lane(
        place.practice.public_id,
        place.practice.label,
        place.driver.public_id,
        place.driver.name,
        place.driver.guest,
        place.number,
        run.public_id if run else None,
        run.purpose if run else None,
        tuple(run.watch) if run else (),
        laps[-1].number + 1 if laps else 1,
        tuple(_kept(lap) for lap in laps),
        _expected(session, row, place.driver),
        tuple(sector.code for sector in track_of(session, row).sectors),
    )


def _expected(session: Session, row: Combination, driver: Driver) -> int | None:
    """About how long a lap takes: the driver's last flying lap here, else anybody's."""
    query = (
        select(Lap.time_us)
        .where(Lap.team_id == row.team_id, Lap.combination_id == row.id, Lap.kind == "flying")
        .order_by(Lap.id.desc())
        .limit(1)
    )
    own = session.scalar(query.where(Lap.driver_id == driver.id))
    return own if own is not None else session.scalar(query)


def _where(place: Place) -> str:
    return f"session {place.practice.label}, run {place.number}"


def _read(line: str, session: Session, place: Place, laps: Sequence[Lap]) -> TypedLap:
    before = next((lap.time_us for lap in reversed(laps) if lap.kind == "flying"), None) or _expected(
        session, place.combination, place.driver
    )
    try:
        return read_typed(line, track_of(session, place.combination), before)
    except CantRead as error:
        raise Refused(str(error)) from error


def type_lap(sessions: sessionmaker[Session], actor: Actor, key: RunKey, number: int, line: str) -> KeptLap:
    """Take down a typed lap. The same line for the same number twice is one lap: what was sent again after a broken
    line does no harm.

    Raises:
        Refused: the line isn't a lap.
        Conflict: another lap has this number.
    """
    with sessions.begin() as session:
        place = find_place(session, actor, key, lock=True)
        laps = laps_in(session, place)
        typed = _read(line, session, place, [lap for lap in laps if lap.number < number])
        if (there := _there_already(laps, number, typed.time_us)) is not None:
            return there
        change_set = act_of(session, actor, place, "laps.type", f"Typed laps of {place.driver.name}, {_where(place)}")
        lap = _core_lap(place, number, typed)
        keep_laps(session, actor, place, [lap], change_set)
        return _kept(laps_in(session, place, [number])[0])


def _there_already(laps: Sequence[Lap], number: int, time_us: int) -> KeptLap | None:
    """The lap of this number, if it is the same.

    Raises:
        Conflict: it is another one.
    """
    there = next((lap for lap in laps if lap.number == number), None)
    if there is None:
        return None
    if there.time_us != time_us:
        raise Conflict(
            f"Lap {number} of this run is {format_time(there.time_us)} already. Look at the run again, then go on."
        )
    return _kept(there)


def mend_typed(
    sessions: sessionmaker[Session], actor: Actor, key: RunKey, number: int, version: int, line: str
) -> KeptLap:
    """Write a typed lap anew.

    Raises:
        Refused: the line isn't a lap.
        Outdated: somebody changed the lap meanwhile.
    """
    with sessions.begin() as session:
        place = find_place(session, actor, key, lock=True)
        laps = laps_in(session, place)
        there = next((lap for lap in laps if lap.number == number), None)
        if there is None:
            raise Conflict(f"Run {key.number} has no lap {number} any more.")
        check_version(there, version, "lap")
        typed = _read(line, session, place, [lap for lap in laps if lap.number < number])
        begin_change(session, actor, "lap.mend", f"Mended lap {number} of {place.driver.name}", place.combination)
        values = lap_values(_core_lap(place, number, typed))
        for name in (
            "time_us",
            "sectors",
            "segments",
            "kind",
            "valid",
            "flags",
            "incidents",
            "strikes",
            "note",
            "said",
            "plus_minus_us",
        ):
            setattr(there, name, values[name])
        there.version += 1
        raise_revisions(session, actor.team_id, [place.combination.id])
        session.flush()
        return _kept(there)


def _core_lap(place: Place, number: int, typed: TypedLap) -> CoreLap:
    return CoreLap(
        place.driver.name,
        number,
        typed.time_us,
        session=place.practice.label,
        run=place.number,
        # About the moment: it was typed when it was over.
        started_at=now() - timedelta(microseconds=typed.time_us),
        kind=typed.kind,
        valid=typed.valid,
        flags=typed.flags | ({GUEST} if place.driver.guest else set()),
        incidents=typed.incidents,
        strikes=typed.strikes,
        note=typed.note,
        said={"practice_only": True} if typed.practice_only else {},
        sectors=typed.sectors,
    )


def time_lap(
    sessions: sessionmaker[Session],
    actor: Actor,
    key: RunKey,
    number: int,
    presses_us: Sequence[int | None],
    ended_at: datetime,
) -> KeptLap:
    """Take down a lap that was timed by hand.

    Args:
        presses_us: at the line, at each sector line (None where missed), and at the line again, on one clock.
        ended_at: when the last press was.

    Raises:
        Refused: presses that make no lap.
        Conflict: another lap has this number.
    """
    with sessions.begin() as session:
        place = find_place(session, actor, key, lock=True)
        react = reaction_known(session, actor)
        try:
            timed = timed_lap(track_of(session, place.combination), presses_us, react)
        except BadPresses as error:
            raise Refused(str(error)) from error
        if (there := _there_already(laps_in(session, place), number, timed.time_us)) is not None:
            return there
        change_set = act_of(
            session, actor, place, "laps.time", f"Timed laps of {place.driver.name} by hand, {_where(place)}"
        )
        lap = CoreLap(
            place.driver.name,
            number,
            timed.time_us,
            session=place.practice.label,
            run=place.number,
            started_at=ended_at.astimezone(UTC) - timedelta(microseconds=timed.time_us + timed.shift_us),
            flags=frozenset({GUEST} if place.driver.guest else ()),
            sectors=timed.sectors,
            plus_minus_us=timed.plus_minus_us,
        )
        keep_laps(session, actor, place, [lap], change_set)
        return _kept(laps_in(session, place, [number])[0])


def _kept(lap: Lap) -> KeptLap:
    said = lap.said or {}
    pieces = [
        {"out": "out lap", "in": "in lap", "outin": "out and in"}.get(lap.kind),
        None if lap.valid else "void",
        *(flag.replace(":", " at ") for flag in (lap.flags or "").split() if flag != GUEST),
        *(lap.incidents or "").replace(":", " at ").split("  "),
        *(f"limits at {corner}" for corner in (lap.strikes or "").split()),
        "experiment" if said.get("practice_only") else None,
        lap.note,
    ]
    return KeptLap(
        lap.number,
        lap.version,
        lap.time_us,
        lap.kind,
        lap.valid,
        dict(lap.sectors or {}),
        lap.plus_minus_us,
        ", ".join(filter(None, pieces)),
    )
