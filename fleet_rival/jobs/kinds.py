"""What each kind of job calls."""

from datetime import date, datetime
from typing import Any
from uuid import UUID

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.track import Corner, Sector
from fleet_rival.services.drive import files
from fleet_rival.services.drive.traces import deriving, imports
from fleet_rival.services.exchange import packages
from fleet_rival.services.find import figures, steadiness
from fleet_rival.services.find.overview import fresh
from fleet_rival.services.plan import make as plan
from fleet_rival.services.plan.readiness_history import readiness_history
from fleet_rival.services.plan.what_if import Change, what_if, what_makes_room
from fleet_rival.services.shared import history
from fleet_rival.services.shared.base import Actor, Work
from fleet_rival.services.shared.jobs import Kinds
from fleet_rival.services.track import boundaries

__all__ = ["KINDS"]

Sessions = sessionmaker[Session]


def _look(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    files.look(sessions, actor, UUID(arguments["file_id"]), frozenset(arguments["apart"]), work)


def _import(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    names = {name: frozenset(arguments.get(name, ())) for name in ("leave_out", "apart", "guests")}
    wishes = files.Wishes(arguments["revision"], differences=arguments["differences"], **names)
    files.confirm(sessions, actor, UUID(arguments["file_id"]), wishes, work)
    # Whoever opens the combination or the board next finds the figures computed.
    figures.summary(sessions, actor, UUID(arguments["combination_id"]))
    fresh.catch_up(sessions, actor)


def _undo(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    history.undo(sessions, actor, UUID(arguments["entry_id"]), work)


def _redo(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    history.redo(sessions, actor, UUID(arguments["entry_id"]), work)


def _standing(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    work.step(0.05, "computing")
    fresh.catch_up(sessions, actor, date.fromisoformat(arguments["day"]) if arguments["day"] else None)
    with sessions.begin() as session:
        work.finish(session, {})


def _plan(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    day = date.fromisoformat(arguments["day"]) if arguments["day"] else None
    only = None if arguments["drivers"] is None else frozenset(UUID(key) for key in arguments["drivers"])
    plan.make_plan(sessions, actor, day, only, work)


def _what_if(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    def moment(text: str | None) -> datetime | None:
        return datetime.fromisoformat(text) if text else None

    changes = [
        Change(
            item["kind"],
            UUID(item["driver_id"]),
            moment(item["begins_at"]),
            moment(item["ends_at"]),
            UUID(item["week_id"]) if item["week_id"] else None,
        )
        for item in arguments["changes"]
    ]
    what_if(sessions, actor, changes, date.fromisoformat(arguments["day"]) if arguments["day"] else None, work)


def _room(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    what_makes_room(
        sessions, actor, arguments["key"], date.fromisoformat(arguments["day"]) if arguments["day"] else None, work
    )


def _history(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    readiness_history(sessions, actor, UUID(arguments["entry_id"]), work)


def _steadiness(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    work.step(0.05, "computing")
    steadiness.catch_up(sessions, actor, UUID(arguments["driver_id"]))
    with sessions.begin() as session:
        work.finish(session, {})


def _boundaries(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    sectors = [Sector(**item) for item in arguments["sectors"]]
    drafts = []
    for item in arguments["corners"]:
        where = {name: value for name, value in item.items() if name != "id"}
        drafts.append(boundaries.DraftCorner(UUID(item["id"]) if item["id"] else None, Corner(**where)))
    boundaries.change_boundaries(
        sessions, actor, UUID(arguments["layout_id"]), arguments["version"], sectors, drafts, work
    )
    fresh.catch_up(sessions, actor)


def _telemetry(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    result = imports.import_upload(sessions, actor, UUID(arguments["upload_id"]), work)
    if result["matched"] or result["added"]:
        figures.summary(sessions, actor, UUID(arguments["combination_id"]))
        fresh.catch_up(sessions, actor)


def _find_layout(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    deriving.found_from_upload(sessions, actor, UUID(arguments["upload_id"]), work)


def _package(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    weeks = None if arguments["weeks"] is None else [UUID(key) for key in arguments["weeks"]]
    packages.make_package(sessions, actor, weeks, work, telemetry=arguments["telemetry"])


def _bring(sessions: Sessions, actor: Actor, arguments: dict[str, Any], work: Work) -> None:
    packages.bring_upload(sessions, actor, UUID(arguments["upload_id"]), work)


KINDS: Kinds = {
    packages.MAKING: _package,
    packages.BRINGING: _bring,
    "track.find": _find_layout,
    "telemetry.import": _telemetry,
    "laps.look": _look,
    "laps.import": _import,
    "history.undo": _undo,
    "history.redo": _redo,
    "plan.make": _plan,
    "plan.readiness_history": _history,
    "plan.room": _room,
    "plan.what_if": _what_if,
    "standing.refresh": _standing,
    "steadiness.refresh": _steadiness,
    "track.boundaries": _boundaries,
}
