"""Exercises: the product's own, and a team's."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.words import MISTAKES
from fleet_rival.db.tables import Exercise
from fleet_rival.services.shared.base import Actor, about, begin_change, check_version, named
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.wording.exercises import SHIPPED, exercise_put, mark_words
from fleet_rival.wording.mistakes import MISTAKE_WORDS

__all__ = ["ExerciseView", "change_exercise", "exercises", "remove_exercise"]

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
    return ExerciseView(
        code=code, version=version, kind=kind, kind_title=MISTAKE_WORDS[kind], mark=mark, shipped=shipped, **told
    )


def change_exercise(
    sessions: sessionmaker[Session], actor: Actor, code: str, version: int, values: Mapping[str, Any]
) -> ExerciseView:
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
        row = session.scalars(
            select(Exercise).where(Exercise.team_id == actor.team_id, Exercise.code == code).with_for_update()
        ).first()
        if row is None and version:
            raise NotThere("This exercise was removed meanwhile.")
        if row is not None:
            check_version(row, version, "exercise")
        if code in SHIPPED and kind != code:
            raise Refused(
                f"This exercise belongs to “{MISTAKE_WORDS[code]}”. Write another one for “{MISTAKE_WORDS[kind]}”."
            )
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


def remove_exercise(sessions: sessionmaker[Session], actor: Actor, code: str, version: int) -> None:
    """Take an exercise out of the library; one that ships comes back as it ships.

    Raises:
        NotThere: the team has no exercise of its own of this name.
        Outdated: somebody changed it meanwhile.
    """
    with sessions.begin() as session:
        row = session.scalars(
            select(Exercise).where(Exercise.team_id == actor.team_id, Exercise.code == code).with_for_update()
        ).first()
        if row is None:
            raise NotThere("The team has no exercise like this of its own.")
        check_version(row, version, "exercise")
        begin_change(session, actor, "exercise.remove", exercise_put(row.title, ships=code in SHIPPED), row)
        session.delete(row)
