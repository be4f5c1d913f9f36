"""What only people can know of laps: a tow, or a record? Damage after that contact? What happened there? Until
somebody says, marks wait.
"""

from dataclasses import dataclass
from typing import Any, Final
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.questions import Question
from fleet_rival.core.words import INCIDENTS
from fleet_rival.db.tables import Combination, Driver, Lap, PracticeSession, Remark
from fleet_rival.services.drive.runs.places import Place, RunKey, find_place, laps_in, track_of
from fleet_rival.services.drive.runs.sheet import judged_laps
from fleet_rival.services.shared.base import Actor, begin_change, find_row
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.services.shared.revisions import raise_revisions
from fleet_rival.wording.runs import answer_words, question_words

__all__ = ["ANSWERS", "AskedLap", "answer", "asked_laps"]

ANSWERS: Final = {
    "tow": ("tow", "record"),
    "damage": ("damage", "none"),
    "incident": (*INCIDENTS, "traffic", "nothing"),
}
"""What can be answered, by question."""
_ORDER: Final = tuple(ANSWERS)


@dataclass(frozen=True, slots=True)
class AskedLap:
    """A lap that raises a question."""

    kind: str
    driver_id: UUID
    driver: str
    session_id: UUID
    session: str
    run: int
    lap: int
    time_us: int
    corner: str | None
    words: str
    answers: tuple[dict[str, str], ...]
    """`answer` and its words."""


def asked_laps(sessions: sessionmaker[Session], actor: Actor, combination_id: UUID) -> list[AskedLap]:
    """The open questions of a combination, tows first and the fastest first among them; a driver's own alone for who
    doesn't see all.
    """
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        driven = select(Lap.driver_id).where(Lap.team_id == actor.team_id, Lap.combination_id == row.id).distinct()
        query = select(Driver.public_id, Driver.name).where(
            Driver.team_id == actor.team_id, Driver.guest.is_(False), Driver.id.in_(driven)
        )
        if not actor.sees_all:
            query = query.where(Driver.id == actor.driver_id)
        drivers = session.execute(query).tuples().all()
        own = (PracticeSession.team_id == actor.team_id, PracticeSession.combination_id == row.id)
        labels = {
            label: key
            for label, key in session.execute(select(PracticeSession.label, PracticeSession.public_id).where(*own))
        }
    found = []
    for driver_id, name in drivers:
        for place, laps in judged_laps(sessions, actor, combination_id, driver_id).items():
            label, _, run = place.rpartition("\n")
            for number, lap in laps.items():
                for asked in lap["asked"]:
                    question = Question(asked["kind"], 0, asked["corner"], asked["loss_us"], asked["laps"])
                    found.append(
                        _asked(question, driver_id, name, labels[label], label, int(run), int(number), lap["time_us"])
                    )
    return sorted(found, key=lambda lap: (_ORDER.index(lap.kind), lap.time_us))


def _asked(
    question: Question, driver_id: UUID, driver: str, session_id: UUID, label: str, run: int, number: int, time_us: int
) -> AskedLap:
    return AskedLap(
        question.kind,
        driver_id,
        driver,
        session_id,
        label,
        run,
        number,
        time_us,
        question.corner,
        question_words(question),
        tuple({"answer": name, "words": answer_words(question.kind, name)} for name in ANSWERS[question.kind]),
    )


def answer(
    sessions: sessionmaker[Session], actor: Actor, key: RunKey, number: int, kind: str, said: str, corner: str | None
) -> None:
    """Answer a question about a lap; what is said is a fact from then on.

    Args:
        corner: of a question about what happened: where.

    Raises:
        NotThere: no such lap, or not the actor's.
        Refused: no answer to this question.
    """
    if said not in ANSWERS.get(kind, ()):
        raise Refused("That isn't an answer to this question.")
    with sessions.begin() as session:
        place = find_place(session, actor, key, lock=True)
        laps = laps_in(session, place)
        lap = next((item for item in laps if item.number == number), None)
        if lap is None:
            raise NotThere("This lap doesn't exist, or no longer does.")
        begin_change(
            session,
            actor,
            "lap.answer",
            f"Said of lap {number} of {place.driver.name}: {answer_words(kind, said)}",
            place.combination,
        )
        if kind == "tow":
            _say(lap, {"tow": said == "tow"})
        elif kind == "damage":
            _say(lap, {"damage": said == "damage"})
            for item in laps if said == "damage" else ():
                if item.number > number and item.kind == "flying":
                    _say(item, {"practice_only": True})
        elif said in INCIDENTS:
            _report(session, actor, place, lap, said, corner)
        else:
            _say(lap, {"traffic": True} if said == "traffic" else {"incident": False})
        raise_revisions(session, actor.team_id, [place.combination.id])


def _say(lap: Lap, marks: dict[str, Any]) -> None:
    lap.said = {**(lap.said or {}), **marks}
    lap.version += 1


def _report(session: Session, actor: Actor, place: Place, lap: Lap, what: str, corner: str | None) -> None:
    """A spin, contact or slide that somebody reports is a remark with its corner."""
    if corner is None or corner not in {part.code for part in track_of(session, place.combination).segment_parts}:
        raise Refused("Say in which corner that was.")
    session.add(
        Remark(
            team_id=actor.team_id,
            combination_id=place.combination.id,
            lap_id=lap.id,
            person_id=actor.person_id,
            corner=corner,
            kind=what,
        )
    )
    lap.version += 1
