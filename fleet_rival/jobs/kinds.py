"""Each kind of background work: what it is asked, what it tells, and what does it.

A new kind is one more `Kind` in `KINDS`; its types go to the interface's description and the front end from here.
"""

from dataclasses import dataclass
from datetime import date
from typing import Any, Final
from uuid import UUID

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.track import Sector
from fleet_rival.core.words import Differences
from fleet_rival.services.drive import files, importing
from fleet_rival.services.drive.traces import deriving, imports
from fleet_rival.services.exchange import bring, packages
from fleet_rival.services.find import figures, steadiness
from fleet_rival.services.find.overview import fresh
from fleet_rival.services.plan import make as plan
from fleet_rival.services.plan.readiness_history import ReadinessBehind, readiness_history
from fleet_rival.services.plan.what_if import Change, PlansBeside, RoomFor, what_if, what_makes_room
from fleet_rival.services.shared import history
from fleet_rival.services.shared.base import Actor, Work
from fleet_rival.services.shared.lease import Kind, Kinds, Nothing
from fleet_rival.services.track import boundaries

Sessions = sessionmaker[Session]


@dataclass(frozen=True, slots=True)
class AskedLook:
    """A large lap file, and its sessions that are other ones than those of the same label."""

    file_id: UUID
    apart: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class AskedImport:
    """A lap file, and what a person decided who saw it: `importing.Wishes`, whose names are in order here, so that the
    same wish is the same row.
    """

    file_id: UUID
    combination_id: UUID
    revision: int
    differences: Differences = "keep"
    leave_out: tuple[str, ...] = ()
    apart: tuple[str, ...] = ()
    guests: tuple[str, ...] = ()

    @property
    def wishes(self) -> importing.Wishes:
        leave_out, apart, guests = map(frozenset, (self.leave_out, self.apart, self.guests))
        return importing.Wishes(self.revision, leave_out, self.differences, apart, guests)


@dataclass(frozen=True, slots=True)
class AskedTurn:
    """An act of the history."""

    entry_id: UUID


@dataclass(frozen=True, slots=True)
class AskedDay:
    """A day of the board; the running one where missing."""

    day: date | None = None


@dataclass(frozen=True, slots=True)
class AskedPlan:
    """The week of a day, and whose blocks are placed; everybody's where missing."""

    day: date | None = None
    drivers: tuple[UUID, ...] | None = None


@dataclass(frozen=True, slots=True)
class AskedWhatIf:
    """What would be other in the week of a day."""

    changes: tuple[Change, ...]
    day: date | None = None


@dataclass(frozen=True, slots=True)
class AskedRoom:
    """A block that found no room."""

    key: str
    day: date | None = None


@dataclass(frozen=True, slots=True)
class AskedBehind:
    """An entry whose readiness is looked back at."""

    entry_id: UUID


@dataclass(frozen=True, slots=True)
class AskedSteadiness:
    """Whose weeks are worked out."""

    driver_id: UUID


@dataclass(frozen=True, slots=True)
class AskedBoundaries:
    """A layout as it was seen, and how it shall be."""

    layout_id: UUID
    version: int
    sectors: tuple[Sector, ...]
    corners: tuple[boundaries.DraftCorner, ...]


@dataclass(frozen=True, slots=True)
class AskedTelemetry:
    """A telemetry file that is whole, and of what its laps are."""

    upload_id: UUID
    combination_id: UUID


@dataclass(frozen=True, slots=True)
class AskedUpload:
    """A file that was sent in pieces."""

    upload_id: UUID


@dataclass(frozen=True, slots=True)
class AskedPackage:
    """Weeks whose data are packed, everything where missing; with traces or without."""

    weeks: tuple[UUID, ...] | None = None
    telemetry: bool = False


def _look(sessions: Sessions, actor: Actor, asked: AskedLook, work: Work) -> None:
    files.look(sessions, actor, asked.file_id, frozenset(asked.apart), work)


def _import(sessions: Sessions, actor: Actor, asked: AskedImport, work: Work) -> None:
    importing.confirm(sessions, actor, asked.file_id, asked.wishes, work)
    # Whoever opens the combination or the board next finds the figures computed.
    figures.summary(sessions, actor, asked.combination_id)
    fresh.catch_up(sessions, actor)


def _undo(sessions: Sessions, actor: Actor, asked: AskedTurn, work: Work) -> None:
    history.undo(sessions, actor, asked.entry_id, work)


def _redo(sessions: Sessions, actor: Actor, asked: AskedTurn, work: Work) -> None:
    history.redo(sessions, actor, asked.entry_id, work)


def _standing(sessions: Sessions, actor: Actor, asked: AskedDay, work: Work) -> None:
    work.step(0.05, "computing")
    fresh.catch_up(sessions, actor, asked.day)
    with sessions.begin() as session:
        work.finish(session, Nothing())


def _plan(sessions: Sessions, actor: Actor, asked: AskedPlan, work: Work) -> None:
    plan.make_plan(sessions, actor, asked.day, None if asked.drivers is None else frozenset(asked.drivers), work)


def _what_if(sessions: Sessions, actor: Actor, asked: AskedWhatIf, work: Work) -> None:
    what_if(sessions, actor, asked.changes, asked.day, work)


def _room(sessions: Sessions, actor: Actor, asked: AskedRoom, work: Work) -> None:
    what_makes_room(sessions, actor, asked.key, asked.day, work)


def _history(sessions: Sessions, actor: Actor, asked: AskedBehind, work: Work) -> None:
    readiness_history(sessions, actor, asked.entry_id, work)


def _steadiness(sessions: Sessions, actor: Actor, asked: AskedSteadiness, work: Work) -> None:
    work.step(0.05, "computing")
    steadiness.catch_up(sessions, actor, asked.driver_id)
    with sessions.begin() as session:
        work.finish(session, Nothing())


def _boundaries(sessions: Sessions, actor: Actor, asked: AskedBoundaries, work: Work) -> None:
    boundaries.change_boundaries(sessions, actor, asked.layout_id, asked.version, asked.sectors, asked.corners, work)
    fresh.catch_up(sessions, actor)


def _telemetry(sessions: Sessions, actor: Actor, asked: AskedTelemetry, work: Work) -> None:
    result = imports.import_upload(sessions, actor, asked.upload_id, work)
    if result.matched or result.added:
        figures.summary(sessions, actor, asked.combination_id)
        fresh.catch_up(sessions, actor)


def _find_layout(sessions: Sessions, actor: Actor, asked: AskedUpload, work: Work) -> None:
    deriving.found_from_upload(sessions, actor, asked.upload_id, work)


def _package(sessions: Sessions, actor: Actor, asked: AskedPackage, work: Work) -> None:
    packages.make_package(sessions, actor, asked.weeks, work, telemetry=asked.telemetry)


def _bring(sessions: Sessions, actor: Actor, asked: AskedUpload, work: Work) -> None:
    packages.bring_upload(sessions, actor, asked.upload_id, work)


PACKAGE: Final = Kind(packages.MAKING, AskedPackage, packages.Packed, _package)
BRING: Final = Kind(packages.BRINGING, AskedUpload, bring.CameIn, _bring)
FIND_LAYOUT: Final = Kind("track.find", AskedUpload, deriving.LayoutFound, _find_layout)
TELEMETRY: Final = Kind("telemetry.import", AskedTelemetry, imports.TelemetryImported, _telemetry)
LOOK: Final = Kind("laps.look", AskedLook, files.Looked, _look)
IMPORT: Final = Kind("laps.import", AskedImport, importing.Imported, _import)
UNDO: Final = Kind("history.undo", AskedTurn, history.Reversed, _undo)
REDO: Final = Kind("history.redo", AskedTurn, history.Reversed, _redo)
PLAN: Final = Kind("plan.make", AskedPlan, plan.PlanTold, _plan)
BEHIND: Final = Kind("plan.readiness_history", AskedBehind, ReadinessBehind, _history)
ROOM: Final = Kind("plan.room", AskedRoom, RoomFor, _room)
WHAT_IF: Final = Kind("plan.what_if", AskedWhatIf, PlansBeside, _what_if)
STANDING: Final = Kind("standing.refresh", AskedDay, Nothing, _standing)
STEADINESS: Final = Kind("steadiness.refresh", AskedSteadiness, Nothing, _steadiness)
BOUNDARIES: Final = Kind("track.boundaries", AskedBoundaries, boundaries.BoundariesTold, _boundaries)
_ALL: tuple[Kind[Any, Any], ...] = (
    *(PACKAGE, BRING, FIND_LAYOUT, TELEMETRY, LOOK, IMPORT, UNDO, REDO),
    *(PLAN, BEHIND, ROOM, WHAT_IF, STANDING, STEADINESS, BOUNDARIES),
)
KINDS: Final[Kinds] = {kind.name: kind for kind in _ALL}
"""By the name on the row."""
