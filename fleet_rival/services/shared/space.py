"""Room on the disk: so much for each team and person, told before it is used up; and what is left of the disk
itself, watched while it runs.
"""

import os
import shutil
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final
from urllib.parse import unquote, urlsplit

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import BookPicture, LapFileRow, SeasonFileRow, TraceFile, Upload
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import NoRoom

__all__ = ["LEAST_FREE", "Space", "free_bytes", "is_full", "see_to_room", "space"]

_GB: Final = 1_000_000_000
LEAST_FREE: Final = 250_000_000
"""Bytes below which nothing new is begun: the database must be able to finish what it has in hand."""
_NEARLY: Final = 0.8
"""Share of what may be used at which it is told."""
_LITTLE: Final = 2 * _GB
"""Bytes of the disk below which it is told."""
_LOOKED_EVERY_S: Final = 1.0
_looked: tuple[float, int] = (-10.0, 0)


@dataclass(frozen=True, slots=True)
class Space:
    """Bytes in use and how many may be, by the whole team and by one person, and what the disk has left."""

    team_used: int
    team_most: int
    own_used: int
    own_most: int
    free: int

    @property
    def nearly_full(self) -> bool:
        """Whether somebody should make room before something is refused."""
        shares = (self.team_used / max(1, self.team_most), self.own_used / max(1, self.own_most))
        return max(shares) > _NEARLY or self.free < _LITTLE


def space(sessions: sessionmaker[Session], actor: Actor) -> Space:
    """How much room a team and a person use."""
    with sessions() as session:
        return Space(_of_team(session, actor), _team_most(), _of_person(session, actor), _person_most(), free_bytes())


def see_to_room(session: Session, actor: Actor, coming: int) -> None:
    """Make sure that so many bytes more have room.

    Raises:
        NoRoom: the team's, the person's or the disk's is used up.
    """
    if free_bytes() < coming + LEAST_FREE:
        raise NoRoom(
            f"The disk of this installation is nearly full: {_size(free_bytes())} are free. Ask whoever runs it to "
            "make room; nothing was changed."
        )
    if (own := _of_person(session, actor)) + coming > _person_most():
        raise NoRoom(
            f"Your files use {_size(own)} of {_size(_person_most())}; {_size(coming)} more don't fit. Discard files "
            "that were read, "
            "under Telemetry, or ask a manager."
        )
    if (team := _of_team(session, actor)) + coming > _team_most():
        raise NoRoom(
            f"The team's files use {_size(team)} of {_size(_team_most())}; {_size(coming)} more don't fit. Discard "
            "files that were read."
        )


def is_full() -> bool:
    """Whether the disk has so little room that nothing new is begun."""
    return free_bytes() < LEAST_FREE


def free_bytes() -> int:
    """What is left of the disks on which data and traces lie; looked at once a second at most."""
    global _looked  # noqa: PLW0603  one figure for all threads; two that look at once find the same
    moment = time.monotonic()
    if moment - _looked[0] > _LOOKED_EVERY_S:
        _looked = (moment, min((shutil.disk_usage(place).free for place in _places()), default=1 << 62))
    return _looked[1]


def _places() -> list[Path]:
    """Folders of this machine that are written to."""
    told = [os.environ.get("FLEET_VAR", "")]
    address = urlsplit(os.environ.get("FLEET_TELEMETRY", ""))
    if address.scheme in ("", "file"):
        told.append(unquote(address.path))
    return [place for text in told if text and (place := Path(text)).exists()]


def _of_team(session: Session, actor: Actor) -> int:
    sums: list[Any] = [
        select(func.coalesce(func.sum(column), 0)).where(table.team_id == actor.team_id)
        for table, column in (
            (LapFileRow, LapFileRow.size),
            (SeasonFileRow, SeasonFileRow.size),
            (Upload, Upload.size),
            (TraceFile, TraceFile.size),
            (BookPicture, func.length(BookPicture.content)),
        )
    ]
    return sum(int(session.scalar(query) or 0) for query in sums)


def _of_person(session: Session, actor: Actor) -> int:
    sums: list[Any] = [
        select(func.coalesce(func.sum(table.size), 0)).where(
            table.team_id == actor.team_id, table.person_id == actor.person_id
        )
        for table in (LapFileRow, SeasonFileRow, Upload)
    ]
    return sum(int(session.scalar(query) or 0) for query in sums)


def _team_most() -> int:
    return int(os.environ.get("FLEET_TEAM_BYTES", 20 * _GB))


def _person_most() -> int:
    return int(os.environ.get("FLEET_PERSON_BYTES", 6 * _GB))


def _size(count: int) -> str:
    return f"{count / _GB:.1f} GB" if count >= _GB else f"{count / 1_000_000:.0f} MB"
