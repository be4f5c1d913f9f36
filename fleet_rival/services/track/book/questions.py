"""Open questions: asked at a corner, answered by a teammate, closed with the answer made into a note or a reference."""

from collections.abc import Mapping
from typing import Any
from uuid import UUID

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.words import Became
from fleet_rival.db.tables import Layout, LayoutCorner, OpenQuestion
from fleet_rival.services.shared.base import Actor, about, begin_change, check_version, find_row
from fleet_rival.services.shared.errors import Conflict, Refused
from fleet_rival.services.track.book.corners import corner_title
from fleet_rival.services.track.book.references import add_reference

__all__ = ["answer_question", "ask", "close_question", "remove_question"]


def ask(sessions: sessionmaker[Session], actor: Actor, layout_id: UUID, corner_id: UUID | None, text: str) -> UUID:
    """Ask something about a corner, or about the whole layout.

    Raises:
        Refused: nothing was asked.
        NotThere: no such layout, or no such corner in it.
    """
    with sessions.begin() as session:
        layout = find_row(session, Layout, actor, layout_id, "layout")
        corner = find_row(session, LayoutCorner, actor, corner_id, "corner") if corner_id else None
        if corner is not None and corner.layout_id != layout.id:
            raise Refused("This corner is of another layout.")
        where = corner_title(corner) if corner else layout.name
        change_set = begin_change(session, actor, "question.ask", f"Asked about {where}")
        row = OpenQuestion(
            team_id=actor.team_id, layout_id=layout.id, text=_said(text, "question"), asked_by=actor.person_id
        )
        row.corner_id = corner.id if corner else None
        session.add(row)
        session.flush()
        about(session, change_set, row)
        return row.public_id


def answer_question(
    sessions: sessionmaker[Session], actor: Actor, question_id: UUID, version: int, answer: str
) -> None:
    """Answer a question that is open, or answer it better.

    Raises:
        Outdated: somebody answered meanwhile.
        Conflict: it is closed.
    """
    with sessions.begin() as session:
        row = find_row(session, OpenQuestion, actor, question_id, "question", lock=True)
        check_version(row, version, "question")
        if row.closed_at is not None:
            raise Conflict("This question is closed. Ask anew.")
        begin_change(session, actor, "question.answer", f"Answered: {row.text}", row)
        row.answer, row.answered_by, row.answered_at = _said(answer, "answer"), actor.person_id, now()


def close_question(
    sessions: sessionmaker[Session],
    actor: Actor,
    question_id: UUID,
    version: int,
    became: Became | None,
    reference: Mapping[str, Any] | None = None,
) -> None:
    """Close a question; its answer may become a note of the corner, or a proposed reference.

    Args:
        reference: its fields; the answer stands as its object where none is named.

    Raises:
        Outdated: somebody changed it meanwhile.
        Conflict: it is closed already.
        Refused: nobody has answered, or there is no corner to write to.
    """
    with sessions.begin() as session:
        row = find_row(session, OpenQuestion, actor, question_id, "question", lock=True)
        check_version(row, version, "question")
        if row.closed_at is not None:
            raise Conflict("This question is closed already.")
        begin_change(session, actor, "question.close", f"Closed: {row.text}", row)
        if became is not None:
            corner = session.scalar(
                select(LayoutCorner).where(LayoutCorner.team_id == actor.team_id, LayoutCorner.id == row.corner_id)
            )
            if corner is None or row.answer is None:
                raise Refused("Only the answer to a question about a corner can become a note or a reference.")
            if became == "note":
                corner.note = "\n".join(filter(None, (corner.note, row.answer)))
            else:
                values = dict(reference or {})
                values["thing"] = values.get("thing") or row.answer[:200]
                row.reference_id = add_reference(session, actor, corner, values).id
        row.became, row.closed_at = became, now()


def remove_question(sessions: sessionmaker[Session], actor: Actor, question_id: UUID) -> None:
    """Remove a question; a driver an own one that nobody has answered.

    Raises:
        Conflict: it isn't the driver's, or was answered.
    """
    with sessions.begin() as session:
        row = find_row(session, OpenQuestion, actor, question_id, "question", lock=True)
        if not actor.sees_all and (row.asked_by != actor.person_id or row.answer is not None):
            raise Conflict("Only a question of your own that nobody has answered can be removed.")
        begin_change(session, actor, "question.remove", f"Removed: {row.text}", row)
        session.delete(row)


def _said(text: str, what: str) -> str:
    said = text.strip()
    if not said:
        raise Refused(f"The {what} is empty.")
    return said
