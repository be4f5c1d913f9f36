"""The team's exercises, who works on which, and what came of it."""

from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.corners.work import Judged, judge_exercise
from fleet_rival.core.laps.lap import MISTAKES
from fleet_rival.db.tables import Assignment, Combination, Driver, Exercise, now
from fleet_rival.services.base import Actor, about, begin_change, check_version, find_row, named
from fleet_rival.services.errors import Conflict, NotThere, Refused
from fleet_rival.services.find import may_see
from fleet_rival.services.fix.looked import LookedThrough, look_through
from fleet_rival.services.look import asked_look
from fleet_rival.services.runs.places import refuse_strange_parts, track_of
from fleet_rival.wording.clinic import work_words
from fleet_rival.wording.exercises import SHIPPED, mark_words
from fleet_rival.wording.mistakes import MISTAKE_WORDS

__all__ = ["AssignmentView", "ExerciseView", "assign", "assignments", "change_exercise", "end_assignment", "exercises", "remove_exercise"]

_TEXTS = ("cause", "feel", "work")


@dataclass(frozen=True, slots=True)
class ExerciseView:
    """An exercise as the team has it."""

    code: str
    version: int
    """0: as it ships."""
    kind: str
    kind_title: str
    title: str
    cause: str
    feel: str
    work: str
    of_passes: int
    good_passes: int
    mark: str
    shipped: bool
    """One that comes with the product, changed or not."""


def exercises(sessions: sessionmaker[Session], actor: Actor) -> list[ExerciseView]:
    """The team's library: what ships, as the team changed it, and its own."""
    with sessions() as session:
        rows = {row.code: row for row in session.scalars(select(Exercise).where(Exercise.team_id == actor.team_id))}
    out = []
    for kind, item in SHIPPED.items():
        row = rows.pop(kind, None)
        if row is None:
            out.append(_view(kind, 0, kind, asdict(item), shipped=True))
        else:
            out.append(_view_of(row, shipped=True))
    out += [_view_of(row, shipped=False) for row in rows.values()]
    order = list(MISTAKE_WORDS)
    return sorted(out, key=lambda item: (order.index(item.kind), not item.shipped, item.title))


def _view_of(row: Exercise, *, shipped: bool) -> ExerciseView:
    values = {name: getattr(row, name) for name in ("title", *_TEXTS, "of_passes", "good_passes")}
    return _view(row.code, row.version, row.kind, values, shipped=shipped)


def _view(code: str, version: int, kind: str, values: Mapping[str, Any], *, shipped: bool) -> ExerciseView:
    told = {name: values[name] for name in ("title", *_TEXTS, "of_passes", "good_passes")}
    mark = mark_words(told["of_passes"], told["good_passes"])
    return ExerciseView(code=code, version=version, kind=kind, kind_title=MISTAKE_WORDS[kind], mark=mark, shipped=shipped, **told)


def change_exercise(sessions: sessionmaker[Session], actor: Actor, code: str, version: int, values: Mapping[str, Any]) -> ExerciseView:
    """Write an exercise, or a new one of the team's own.

    Args:
        code: of the exercise; a new one has any that isn't taken.
        version: that the person looked at; 0 for one that ships unchanged, or is new.

    Raises:
        Outdated: somebody changed it meanwhile.
        Refused: it says too little, or its pass mark can't be reached.
    """
    kind = values["kind"]
    if kind not in MISTAKES:
        raise Refused(f"{kind} is not a mistake that there is.")
    if not 1 <= values["good_passes"] <= values["of_passes"] <= 50:
        raise Refused("A pass mark needs 1 to 50 passes, and no more good ones than that.")
    title = named(values["title"], "exercise")
    texts = {name: (values.get(name) or "").strip()[:2000] for name in _TEXTS}
    if not texts["work"]:
        raise Refused("Say what is to be driven.")
    with sessions.begin() as session:
        row = session.scalars(select(Exercise).where(Exercise.team_id == actor.team_id, Exercise.code == code).with_for_update()).first()
        if row is None and version:
            raise NotThere("This exercise was removed meanwhile.")
        if row is not None:
            check_version(row, version, "exercise")
        if code in SHIPPED and kind != code:
            raise Refused(f"This exercise belongs to “{MISTAKE_WORDS[code]}”. Write another one for “{MISTAKE_WORDS[kind]}”.")
        change_set = begin_change(session, actor, "exercise.change", f"Wrote the exercise “{title}”")
        if row is None:
            row = Exercise(team_id=actor.team_id, code=code)
            session.add(row)
        row.kind, row.title = kind, title
        row.of_passes, row.good_passes = values["of_passes"], values["good_passes"]
        row.cause, row.feel, row.work = texts["cause"], texts["feel"], texts["work"]
        session.flush()
        about(session, change_set, row)
        return _view_of(row, shipped=code in SHIPPED)


def remove_exercise(sessions: sessionmaker[Session], actor: Actor, code: str) -> None:
    """Take an exercise out of the library; one that ships comes back as it ships.

    Raises:
        NotThere: the team has no exercise of its own of this name.
    """
    with sessions.begin() as session:
        row = session.scalars(select(Exercise).where(Exercise.team_id == actor.team_id, Exercise.code == code).with_for_update()).first()
        if row is None:
            raise NotThere("The team has no exercise like this of its own.")
        words = "as it ships again" if code in SHIPPED else "out of the library"
        begin_change(session, actor, "exercise.remove", f"Put the exercise “{row.title}” {words}", row)
        session.delete(row)


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


def assign(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID, driver_id: UUID, corner: str, kind: str, code: str) -> UUID:
    """Give a driver an exercise for a mistake; runs that begin from now on judge it.

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
            *(Assignment.team_id == actor.team_id, Assignment.combination_id == row.id, Assignment.driver_id == driver.id),
            *(Assignment.corner == corner, Assignment.kind == kind, Assignment.ended_at.is_(None)),
        )
        if session.scalars(select(Assignment.id).where(*same)).first() is not None:
            raise Conflict(f"{driver.name} works on this already. End that first.")
        change_set = begin_change(session, actor, "exercise.assign", f"Gave {driver.name} “{chosen.title}” for {corner}")
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
            begins_at=now(),
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
    sessions: sessionmaker[Session], actor: Actor, combination_id: UUID, driver_id: UUID | None = None, also: Iterable[str] = ()
) -> list[AssignmentView]:
    """What drivers work on in a combination, judged by their laps of all times; the latest first.

    Args:
        driver_id: one driver's; a driver gets the own ones in any case.

    Raises:
        NotThere: no such combination or driver, or not the actor's business.
    """
    if driver_id is not None:
        may_see(sessions, actor, driver_id)
    look = asked_look(sessions, actor, combination_id, None, also)
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        query = (
            select(Assignment, Driver)
            .join(Driver, (Driver.team_id == Assignment.team_id) & (Driver.id == Assignment.driver_id))
            .where(Assignment.team_id == actor.team_id, Assignment.combination_id == row.id)
            .order_by(Assignment.id.desc())
        )
        if driver_id is not None:
            query = query.where(Driver.public_id == driver_id)
        elif not actor.sees_all:
            query = query.where(Driver.id == actor.driver_id)
        rows = session.execute(query).all()
        if not rows:
            return []
        found = look_through(sessions, look, session, actor, row)
        return [_assignment(found, item, driver) for item, driver in rows]


def _assignment(found: LookedThrough, row: Assignment, driver: Driver) -> AssignmentView:
    name = next((corner.name for corner in found.track.corners if corner.code == row.corner), None)
    judged = Judged(0, 0, 0, False, (), None, None)
    if driver.name in found.clinics:
        clinic = found.clinics[driver.name].main
        if (figures := clinic.parts.get(row.corner)) is not None:
            laps = found.analysis.drivers[driver.name].laps
            rule = (row.begins_at, row.of_passes, row.good_passes)
            judged = judge_exercise(sorted(figures.passes), clinic.slips, row.corner, row.kind, laps, *rule)
    return AssignmentView(
        id=row.public_id,
        version=row.version,
        driver_id=driver.public_id,
        driver=driver.name,
        corner=row.corner,
        name=name,
        kind=row.kind,
        kind_title=MISTAKE_WORDS[row.kind],
        title=row.title,
        work=row.work,
        mark=mark_words(row.of_passes, row.good_passes),
        begins_at=row.begins_at,
        ended_at=row.ended_at,
        words=work_words(judged, row.of_passes, row.good_passes),
        **asdict(judged),
    )
