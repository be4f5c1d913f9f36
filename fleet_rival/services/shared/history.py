"""What was changed, by whom and when; taking it back and doing it again.

Undo is a change set of its own that reverses another one, row by row. A row that somebody changed since is never
written
over: the whole undo is refused then, and says who changed what.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Select, exists, func, or_, select, update
from sqlalchemy.orm import Session, aliased, sessionmaker

from fleet_rival.db.tables import (
    BROUGHT,
    Base,
    Change,
    ChangeSet,
    Lap,
    LapFileRow,
    Membership,
    Person,
    RigToken,
    SeasonFileRow,
)
from fleet_rival.services.shared.base import UNWATCHED, Actor, Work, begin_change, find_row
from fleet_rival.services.shared.errors import Conflict, NotThere
from fleet_rival.services.shared.permissions import acts_of, bears_on_others, may_act
from fleet_rival.services.shared.reversal import Reversal

__all__ = ["ChangeView", "Entry", "Page", "Reversed", "Steps", "entry", "history", "is_long", "redo", "steps", "undo"]

_TABLES = Base.metadata.tables
_LONG_FROM_ROWS = 2000
_PAGE = 50
_NOT_TAKEN_BACK = ("people.join",)
"""Acts that aren't undone but answered by others: who joined can be removed."""


@dataclass(frozen=True, slots=True)
class Entry:
    """One act in the history."""

    id: UUID
    number: int
    made_at: datetime
    person: str
    rig: str | None
    action: str
    summary: str
    kind: str
    """`act`, `undo`, or `redo`."""
    standing: bool
    can_undo: bool
    can_redo: bool
    rows: int


@dataclass(frozen=True, slots=True)
class ChangeView:
    """One row that an act changed."""

    table: str
    before: dict[str, Any] | None
    after: dict[str, Any] | None


@dataclass(frozen=True, slots=True)
class Page:
    """A part of the history, newest first, and where the next part begins."""

    items: tuple[Entry, ...]
    next: int | None


@dataclass(frozen=True, slots=True)
class Reversed:
    """What an undo or a redo did."""

    summary: str
    rows: int


@dataclass(frozen=True, slots=True)
class Steps:
    """What the next undo and the next redo of a person would do."""

    undo: Entry | None
    redo: Entry | None


def history(
    sessions: sessionmaker[Session],
    actor: Actor,
    thing: tuple[str, UUID] | None = None,
    before: int | None = None,
    mine: bool = False,
) -> Page:
    """The acts of a team, or those that touched one thing.

    Args:
        thing: table and public id.
        before: number of the last entry of the part before this one.
        mine: the actor's own acts alone; always so for who doesn't see all.
    """
    with sessions() as session:
        query = select(ChangeSet).where(ChangeSet.team_id == actor.team_id)
        if mine or not actor.sees_all:
            query = query.where(ChangeSet.person_id == actor.person_id)
        if before is not None:
            query = query.where(ChangeSet.id < before)
        if thing is not None:
            table, public_id = thing
            if (
                table not in _TABLES
                or "public_id" not in _TABLES[table].columns
                or "team_id" not in _TABLES[table].columns
            ):
                raise NotThere("There is no history of such a thing.")
            columns = _TABLES[table].columns
            key = session.scalar(
                select(columns.id).where(columns.team_id == actor.team_id, columns.public_id == public_id)
            )
            touched = exists().where(
                Change.team_id == actor.team_id,
                Change.change_set_id == ChangeSet.id,
                Change.table_name == table,
                Change.row_id == key,
            )
            query = query.where(or_((ChangeSet.subject_table == table) & (ChangeSet.subject_id == key), touched))
        rows = session.scalars(query.order_by(ChangeSet.id.desc()).limit(_PAGE + 1)).all()
        shown = rows[:_PAGE]
        return Page(_entries(session, actor, shown), shown[-1].id if len(rows) > _PAGE else None)


def entry(sessions: sessionmaker[Session], actor: Actor, entry_id: UUID) -> tuple[Entry, tuple[ChangeView, ...]]:
    """One act with the rows it changed, at most a hundred of them."""
    with sessions() as session:
        row = _own(session, actor, entry_id)
        changes = session.scalars(
            select(Change)
            .where(Change.team_id == actor.team_id, Change.change_set_id == row.id)
            .order_by(Change.id)
            .limit(100)
        )
        views = tuple(ChangeView(change.table_name, change.before, change.after) for change in changes)
        return _entries(session, actor, [row])[0], views


def steps(sessions: sessionmaker[Session], actor: Actor) -> Steps:
    """What the next undo and the next redo would do."""
    with sessions() as session:
        found = [_next_undo(session, actor), _next_redo(session, actor)]
        views = (
            {row.id: view for row, view in zip(rows, _entries(session, actor, rows), strict=True)}
            if (rows := [r for r in found if r])
            else {}
        )
        undo_row, redo_row = found
        return Steps(views[undo_row.id] if undo_row else None, views[redo_row.id] if redo_row else None)


def is_long(
    sessions: sessionmaker[Session], actor: Actor, entry_id: UUID | None, *, again: bool = False
) -> tuple[UUID, str] | None:
    """Whether an undo (or redo) moves so many rows that it belongs into the background: its id and summary then."""
    with sessions() as session:
        row = _chosen(session, actor, entry_id, again=again)
        newest = _newest(session, row)
        # Laps that came in bulk have no rows of their own in `change`; those that were written anew have.
        rows = _changes_of(session, newest) + (_laps_of(session, row) if newest is row else 0)
        return (row.public_id, row.summary) if rows > _LONG_FROM_ROWS else None


def undo(
    sessions: sessionmaker[Session], actor: Actor, entry_id: UUID | None = None, work: Work = UNWATCHED
) -> Reversed:
    """Take an act back: the one named, or the actor's last one that stands.

    Raises:
        Conflict: nothing to take back, or something of it was changed since.
    """
    return _turn(sessions, actor, entry_id, work, again=False)


def redo(
    sessions: sessionmaker[Session], actor: Actor, entry_id: UUID | None = None, work: Work = UNWATCHED
) -> Reversed:
    """Do again what was taken back: the one named, or the actor's last one, if nothing was done in between.

    Raises:
        Conflict: nothing to do again, or something of it was changed since.
    """
    return _turn(sessions, actor, entry_id, work, again=True)


def _turn(sessions: sessionmaker[Session], actor: Actor, entry_id: UUID | None, work: Work, *, again: bool) -> Reversed:
    with sessions.begin() as session:
        row = _chosen(session, actor, entry_id, again=again)
        session.refresh(row, with_for_update=True)
        if row.standing is again:
            raise Conflict("This stands already." if again else "This is taken back already.")
        newest = _newest(session, row)
        if again and not _changes_of(session, newest):
            raise Conflict("What this brought wasn't kept when it was taken back. Put the file in again instead.")
        word = "Did again" if again else "Took back"
        change_set = begin_change(session, actor, row.action, f"{word}: {row.summary}")
        change_set.takes_back_id, change_set.original_id, change_set.turn = (
            newest.id,
            row.id,
            "redo" if again else "undo",
        )
        change_set.subject_table, change_set.subject_id = row.subject_table, row.subject_id
        session.flush()
        moved = Reversal(session, newest, change_set, work).run(laps_too=newest is row)
        row.standing = again
        session.flush()
        for table in (LapFileRow, SeasonFileRow):
            files = update(table).where(table.team_id == actor.team_id, table.change_set_id == row.id)
            session.execute(files.values(state="imported" if again else "taken_back"))
        if not session.scalar(
            select(func.count())
            .select_from(Membership)
            .where(Membership.team_id == actor.team_id, Membership.role == "manager")
        ):
            raise Conflict("After that the team would have no manager. Make somebody else a manager first.")
        result = Reversed(change_set.summary, moved)
        work.finish(session, result)
        return result


def _own(session: Session, actor: Actor, entry_id: UUID) -> ChangeSet:
    row = find_row(session, ChangeSet, actor, entry_id, "change")
    if not actor.sees_all and row.person_id != actor.person_id:
        raise NotThere("This change doesn't exist, or no longer does.")
    return row


def _chosen(session: Session, actor: Actor, entry_id: UUID | None, *, again: bool) -> ChangeSet:
    if entry_id is None:
        found = _next_redo(session, actor) if again else _next_undo(session, actor)
        if found is None:
            raise Conflict("There is nothing to do again." if again else "There is nothing of yours to take back.")
        row = found
    else:
        row = _own(session, actor, entry_id)
        if row.original_id is not None:
            row = session.scalars(
                select(ChangeSet).where(ChangeSet.team_id == actor.team_id, ChangeSet.id == row.original_id)
            ).one()
        if (
            row.turn == BROUGHT
            or row.action in _NOT_TAKEN_BACK
            or (row.standing and not (_laps_of(session, row) or _changes_of(session, row)))
        ):
            raise Conflict("This isn't something that can be taken back.")
    # Roles change: what somebody once did they may not be the one to bring back.
    if not may_act(actor, row.action) or bears_on_others(session, actor, row):
        raise Conflict(f"As {actor.role} you can't do this any more. Ask a manager of the team.")
    return row


def _may_turn(actor: Actor, row: ChangeSet) -> bool:
    """Whether the actor may do such a thing at all, by the role they have now."""
    return row.turn != BROUGHT and row.action not in _NOT_TAKEN_BACK and may_act(actor, row.action)


def _changes_of(session: Session, row: ChangeSet) -> int:
    return (
        session.scalar(
            select(func.count())
            .select_from(Change)
            .where(Change.team_id == row.team_id, Change.change_set_id == row.id)
        )
        or 0
    )


def _laps_of(session: Session, row: ChangeSet) -> int:
    return (
        session.scalar(
            select(func.count()).select_from(Lap).where(Lap.team_id == row.team_id, Lap.change_set_id == row.id)
        )
        or 0
    )


def _newest(session: Session, row: ChangeSet) -> ChangeSet:
    """The last undo or redo of an act, or the act itself."""
    later = (
        select(ChangeSet)
        .where(ChangeSet.team_id == row.team_id, ChangeSet.original_id == row.id)
        .order_by(ChangeSet.id.desc())
        .limit(1)
    )
    return session.scalar(later) or row


def _originals(actor: Actor) -> Select[ChangeSet]:
    """The actor's own acts that changed something."""
    own = (
        ChangeSet.team_id == actor.team_id,
        ChangeSet.person_id == actor.person_id,
        ChangeSet.original_id.is_(None),
        ChangeSet.turn.is_(None),
    )
    rows = exists().where(Change.team_id == actor.team_id, Change.change_set_id == ChangeSet.id)
    laps = exists().where(Lap.team_id == actor.team_id, Lap.change_set_id == ChangeSet.id)
    return select(ChangeSet).where(
        *own,
        ChangeSet.rig_token_id.is_(None),
        ChangeSet.action.not_in(_NOT_TAKEN_BACK),
        acts_of(actor),
        or_(rows, laps),
    )


def _next_undo(session: Session, actor: Actor) -> ChangeSet | None:
    return session.scalar(_originals(actor).where(ChangeSet.standing).order_by(ChangeSet.id.desc()).limit(1))


def _next_redo(session: Session, actor: Actor) -> ChangeSet | None:
    """What the actor took back last, unless they did something else since."""
    last_act = session.scalar(_originals(actor).where(ChangeSet.standing).order_by(ChangeSet.id.desc()).limit(1))
    turn, original = aliased(ChangeSet), aliased(ChangeSet)
    own = (turn.team_id == actor.team_id, turn.person_id == actor.person_id)
    undone = (
        select(original, turn.id)
        .join(turn, (turn.team_id == original.team_id) & (turn.original_id == original.id))
        .where(
            *own, original.standing.is_(False), original.person_id == actor.person_id, original.rig_token_id.is_(None)
        )
        .order_by(turn.id.desc())
        .limit(1)
    )
    found = session.execute(undone).first()
    if found is None:
        return None
    row: ChangeSet = found[0]
    if not may_act(actor, row.action):
        return None
    # An act that was done again is older than its redo: what counts is when it was done first.
    return row if last_act is None or last_act.id < found[1] else None


def _entries(session: Session, actor: Actor, rows: Sequence[ChangeSet]) -> tuple[Entry, ...]:
    if not rows:
        return ()
    keys = [row.id for row in rows]
    team = actor.team_id
    people = {
        key: name
        for key, name in session.execute(
            select(Person.id, Person.name).where(Person.id.in_({row.person_id for row in rows}))
        )
    }
    rigs = {
        key: name for key, name in session.execute(select(RigToken.id, RigToken.name).where(RigToken.team_id == team))
    }
    counts = _counts(
        session,
        select(Change.change_set_id, func.count()).where(Change.team_id == team, Change.change_set_id.in_(keys)),
        Change,
    )
    laps = _counts(
        session, select(Lap.change_set_id, func.count()).where(Lap.team_id == team, Lap.change_set_id.in_(keys)), Lap
    )
    out = []
    for row in rows:
        number = counts.get(row.id, 0) + laps.get(row.id, 0)
        touched = bool(number) or not row.standing
        turns = row.turn is None and touched and _may_turn(actor, row)
        out.append(
            Entry(
                row.public_id,
                row.id,
                row.made_at,
                people.get(row.person_id, ""),
                rigs.get(row.rig_token_id or 0),
                row.action,
                row.summary,
                "act" if row.turn in (None, BROUGHT) else row.turn,
                row.standing,
                turns and row.standing,
                turns and not row.standing,
                number,
            )
        )
    return tuple(out)


def _counts(session: Session, query: Any, table: Any) -> dict[int, int]:
    return {key: number for key, number in session.execute(query.group_by(table.change_set_id))}
