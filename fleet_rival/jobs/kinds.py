"""What each kind of job calls."""

from typing import Any
from uuid import UUID

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.services import drive, find, history
from fleet_rival.services.base import Actor, Work
from fleet_rival.services.jobs import Kinds

__all__ = ["KINDS"]

Sessions = sessionmaker[Session]


def _look(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    drive.look(sessions, actor, UUID(arguments["file_id"]), frozenset(arguments["apart"]), work)


def _import(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    wishes = drive.Wishes(arguments["revision"], frozenset(arguments["leave_out"]), arguments["differences"], frozenset(arguments["apart"]))
    drive.confirm(sessions, actor, UUID(arguments["file_id"]), wishes, work)
    # Whoever opens the combination next finds the figures computed.
    find.summary(sessions, actor, UUID(arguments["combination_id"]))


def _undo(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    history.undo(sessions, actor, UUID(arguments["entry_id"]), work)


def _redo(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    history.redo(sessions, actor, UUID(arguments["entry_id"]), work)


KINDS: Kinds = {"laps.look": _look, "laps.import": _import, "history.undo": _undo, "history.redo": _redo}
