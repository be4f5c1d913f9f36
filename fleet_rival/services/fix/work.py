"""The team's exercises, who works on which, and what came of it."""

import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from functools import partial
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.corners.helped import Helped, helped_of
from fleet_rival.core.corners.work import NOT_DRIVEN, Judged, judge_exercise
from fleet_rival.core.words import MISTAKES
from fleet_rival.db.tables import Assignment, Car, Combination, Driver, Layout, TrackRow
from fleet_rival.services.drive.runs.places import refuse_strange_parts, track_of
from fleet_rival.services.find.figures import may_see
from fleet_rival.services.find.look import Look, asked_look
from fleet_rival.services.fix.catalogue import exercises
from fleet_rival.services.fix.passes import LookedThrough, look_through
from fleet_rival.services.shared.base import Actor, about, begin_change, find_row
from fleet_rival.services.shared.cache.answers import kept_answer
from fleet_rival.services.shared.cache.memory import key_of
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused
from fleet_rival.wording.clinic import helped_words, work_words
from fleet_rival.wording.exercises import mark_words
from fleet_rival.wording.mistakes import MISTAKE_WORDS

__all__ = [
    "AssignmentView",
    "HelpedDriver",
    "HelpedView",
    "assign",
    "assignments",
    "end_assignment",
    "helped_by_kind",
    "what_helped",
]


@dataclass(frozen=True, slots=True)
class AssignmentView:
    """A driver's work on a mistake, and how far it has come."""

    id: UUID
    version: int
    driver_id: UUID
    driver: str
    corner: str
    name: str | None
    kind: str
    kind_title: str
    title: str
    work: str
    mark: str
    begins_at: datetime
    ended_at: datetime | None
    driven: int
    best: int
    of: int
    passed: bool
    last: tuple[bool, ...]
    rate_before: float | None
    rate_since: float | None
    words: str


def assign(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    driver_id: UUID,
    corner: str,
    kind: str,
    code: str,
    begins_at: datetime | None = None,
) -> UUID:
    """Give a driver an exercise for a mistake; runs that begin from now on judge it.

    Args:
        code: of the exercise in the library.
        begins_at: instead of now, where it was given before it was written down.

    Raises:
        NotThere: no such driver, combination or exercise.
        Refused: the layout has no such corner.
        Conflict: the driver works on this already.
    """
    chosen = next((item for item in exercises(sessions, actor) if item.code == code), None)
    if chosen is None:
        raise NotThere("This exercise isn't in the library any more.")
    if kind not in MISTAKES:
        raise Refused(f"{kind} is not a mistake that there is.")
    with sessions.begin() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        driver = find_row(session, Driver, actor, driver_id, "driver")
        refuse_strange_parts(track_of(session, row), corner)
        same = (
            *(
                Assignment.team_id == actor.team_id,
                Assignment.combination_id == row.id,
                Assignment.driver_id == driver.id,
            ),
            *(Assignment.corner == corner, Assignment.kind == kind, Assignment.ended_at.is_(None)),
        )
        if session.scalars(select(Assignment.id).where(*same)).first() is not None:
            raise Conflict(f"{driver.name} works on this already. End that first.")
        change_set = begin_change(
            session, actor, "exercise.assign", f"Gave {driver.name} “{chosen.title}” for {corner}"
        )
        made = Assignment(
            team_id=actor.team_id,
            combination_id=row.id,
            driver_id=driver.id,
            person_id=actor.person_id,
            corner=corner,
            kind=kind,
            title=chosen.title,
            work=chosen.work,
            of_passes=chosen.of_passes,
            good_passes=chosen.good_passes,
            begins_at=begins_at or now(),
            ended_at=None,
        )
        session.add(made)
        session.flush()
        about(session, change_set, made)
        return made.public_id


def end_assignment(sessions: sessionmaker[Session], actor: Actor, assignment_id: UUID) -> None:
    """End a driver's work on a mistake; what came of it stays."""
    with sessions.begin() as session:
        row = find_row(session, Assignment, actor, assignment_id, "exercise", lock=True)
        if row.ended_at is not None:
            raise Conflict("This exercise was ended already.")
        begin_change(session, actor, "exercise.end", f"Ended “{row.title}” at {row.corner}", row)
        row.ended_at = now()


def assignments(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    driver_id: UUID | None = None,
    also: Iterable[str] = (),
) -> list[AssignmentView]:
    """What drivers work on in a combination, judged by their laps of all times; the latest first.

    Args:
        driver_id: one driver's; a driver gets the own ones in any case.

    Raises:
        NotThere: no such combination or driver, or not the actor's business.
    """
    if driver_id is not None:
        may_see(sessions, actor, driver_id)
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        rows = _rows(session, actor, Assignment.combination_id == row.id)
        names = {corner.code: corner.name for corner in track_of(session, row).corners} if rows else {}
    judged = _judged(
        sessions,
        actor,
        combination_id,
        [item for item, _ in rows],
        asked_look(sessions, actor, combination_id, None, also),
    )
    return [
        _assignment(item, driver, names, judged[item.public_id])
        for item, driver in reversed(rows)
        if (actor.sees_all or driver.id == actor.driver_id or driver_id is not None)
        and driver_id in (None, driver.public_id)
    ]


def _rows(session: Session, actor: Actor, *which: Any) -> list[tuple[Assignment, Driver]]:
    """What was given, the latest last."""
    query = (
        select(Assignment, Driver)
        .join(Driver, (Driver.team_id == Assignment.team_id) & (Driver.id == Assignment.driver_id))
        .where(Assignment.team_id == actor.team_id, *which)
        .order_by(Assignment.id)
    )
    return [(item, driver) for item, driver in session.execute(query)]


def _judged(
    sessions: sessionmaker[Session], actor: Actor, combination_id: UUID, rows: Sequence[Assignment], look: Look
) -> dict[UUID, Judged]:
    """How far everything that was given in a combination has come; kept until laps change, or something is given."""
    if not rows:
        return {}
    given = [
        (str(item.public_id), item.corner, item.kind, item.begins_at, item.of_passes, item.good_passes) for item in rows
    ]
    about = f"work:{key_of(given).hex()[:16]}{look.tail}"
    body, _ = kept_answer(sessions, actor, combination_id, about, partial(_judge_all, sessions, look, rows, about))
    return {UUID(key): Judged(**{**told, "last": tuple(told["last"])}) for key, told in json.loads(body).items()}


def _judge_all(
    sessions: sessionmaker[Session],
    look: Look,
    rows: Sequence[Assignment],
    about: str,
    session: Session,
    actor: Actor,
    row: Combination,
) -> dict[str, bytes]:
    found = look_through(sessions, look, session, actor, row)
    names = {
        key: name
        for key, name in session.execute(select(Driver.id, Driver.name).where(Driver.team_id == actor.team_id))
    }
    judged = {str(item.public_id): asdict(_judge(found, item, names[item.driver_id])) for item in rows}
    return {about: json.dumps(judged).encode()}


def _judge(found: LookedThrough, row: Assignment, driver: str) -> Judged:
    if driver not in found.clinics:
        return NOT_DRIVEN
    clinic = found.clinics[driver].main
    figures = clinic.parts.get(row.corner)
    if figures is None:
        return NOT_DRIVEN
    rule = (row.begins_at, row.of_passes, row.good_passes)
    return judge_exercise(
        sorted(figures.passes), clinic.slips, row.corner, row.kind, found.analysis.drivers[driver].laps, *rule
    )


def _assignment(row: Assignment, driver: Driver, names: Mapping[str, str | None], judged: Judged) -> AssignmentView:
    return AssignmentView(
        id=row.public_id,
        version=row.version,
        driver_id=driver.public_id,
        driver=driver.name,
        corner=row.corner,
        name=names.get(row.corner),
        kind=row.kind,
        kind_title=MISTAKE_WORDS[row.kind],
        title=row.title,
        work=row.work,
        mark=mark_words(row.of_passes, row.good_passes),
        begins_at=row.begins_at,
        ended_at=row.ended_at,
        driven=judged.driven,
        best=judged.best,
        of=judged.of,
        passed=judged.passed,
        last=judged.last,
        rate_before=judged.rate_before,
        rate_since=judged.rate_since,
        words=work_words(judged, row.of_passes, row.good_passes),
    )


@dataclass(frozen=True, slots=True)
class HelpedDriver:
    """What one exercise brought one driver."""

    driver: str
    place: str
    corner: str
    passed: bool
    rate_before: float | None
    rate_since: float | None


@dataclass(frozen=True, slots=True)
class HelpedView:
    """What an exercise has brought the team so far."""

    kind: str
    title: str
    given: int
    judged: int
    passed: int
    removed: float
    low: float
    high: float
    words: str
    drivers: tuple[HelpedDriver, ...]
    """Whom it helped, the latest first; for who may see all."""


def what_helped(sessions: sessionmaker[Session], actor: Actor) -> list[HelpedView]:
    """What each exercise has brought in all combinations, those that took most away first."""
    grouped: dict[tuple[str, str], list[tuple[Judged, HelpedDriver]]] = {}
    for place, item, driver, judged in _all_work(sessions, actor):
        told = HelpedDriver(driver.name, place, item.corner, judged.passed, judged.rate_before, judged.rate_since)
        grouped.setdefault((item.kind, item.title), []).append((judged, told))
    out = []
    for (kind, title), items in grouped.items():
        found = helped_of(judged for judged, _ in items)
        shown = tuple(told for _, told in reversed(items)) if actor.sees_all else ()
        figures = (found.given, found.judged, found.passed, found.removed, found.low, found.high)
        out.append(HelpedView(kind, title, *figures, helped_words(found), shown))
    return sorted(out, key=lambda item: (-item.removed, item.title))


def helped_by_kind(sessions: sessionmaker[Session], actor: Actor) -> dict[str, Helped]:
    """What work on each kind of mistake has brought in all combinations, for all kinds."""
    grouped: dict[str, list[Judged]] = {kind: [] for kind in MISTAKES}
    for _, item, _, judged in _all_work(sessions, actor):
        grouped[item.kind].append(judged)
    return {kind: helped_of(items) for kind, items in grouped.items()}


def _all_work(sessions: sessionmaker[Session], actor: Actor) -> list[tuple[str, Assignment, Driver, Judged]]:
    """Everything that was ever given, with the place, judged by laps of all times, the latest last."""
    with sessions() as session:
        rows = _rows(session, actor)
        places = {
            key: (public_id, f"{track}, {layout}, {car}")
            for key, public_id, track, layout, car in session.execute(
                select(Combination.id, Combination.public_id, TrackRow.name, Layout.name, Car.name)
                .join(Layout, (Layout.team_id == Combination.team_id) & (Layout.id == Combination.layout_id))
                .join(TrackRow, (TrackRow.team_id == Layout.team_id) & (TrackRow.id == Layout.track_id))
                .join(Car, (Car.team_id == Combination.team_id) & (Car.id == Combination.car_id))
                .where(
                    Combination.team_id == actor.team_id, Combination.id.in_({item.combination_id for item, _ in rows})
                )
            )
        }
    here: dict[int, list[Assignment]] = {}
    for item, _ in rows:
        here.setdefault(item.combination_id, []).append(item)
    judged: dict[UUID, Judged] = {}
    for key, items in here.items():
        judged |= _judged(sessions, actor, places[key][0], items, Look())
    return [(places[item.combination_id][1], item, driver, judged[item.public_id]) for item, driver in rows]
