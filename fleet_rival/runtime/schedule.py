"""Backups that are made by themselves: when they are due, how the last one ended, and when one that failed is tried
again.
"""

import json
import subprocess
import sys
import time
from dataclasses import asdict, dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Final

from fleet_rival.clock import AHEAD, now
from fleet_rival.services.shared.last_backup import last_ended, note_ended

__all__ = ["NAME", "SCHEDULED", "Schedule", "Settings"]

NAME: Final = "fleet-rival-{:%Y-%m-%d-%H%M%S}.backup.zip"
SCHEDULED: Final = "fleet-rival-{:%Y-%m-%d-%H%M%S}.scheduled.backup.zip"
"""Those that were made by themselves have a name of their own: they alone are thrown away by themselves."""
_LOOK_EVERY_S: Final = 30


@dataclass(frozen=True)
class Settings:
    """When backups are made by themselves, and how many of those are kept."""

    every: str = "off"
    at: str = "03:30"
    keep: int = 14

    @classmethod
    def read(cls, var: Path) -> "Settings":
        try:
            return cls(**json.loads((var / "backups" / "schedule.json").read_text()))
        except (OSError, ValueError, TypeError):
            return cls()

    def write(self, var: Path) -> None:
        place = var / "backups" / "schedule.json"
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(json.dumps(asdict(self)))

    def last_due(self, moment: datetime) -> datetime | None:
        """The last moment at or before this one at which a backup was due."""
        if self.every == "off":
            return None
        hour, minute = map(int, self.at.split(":"))
        due = moment.replace(hour=hour, minute=minute, second=0, microsecond=0)
        if self.every == "weekly":
            due -= timedelta(days=due.weekday())
        step = timedelta(days=7 if self.every == "weekly" else 1)
        return due if due <= moment else due - step

    def throw_away(self, var: Path) -> None:
        """Keep the newest of those that were made by themselves; what somebody made by hand stays."""
        for old in sorted((var / "backups").glob("*.scheduled.backup.zip"))[: -max(self.keep, 1)]:
            old.unlink()


class Schedule:
    """Makes the backups that are due, beside the running application."""

    def __init__(self, var: Path) -> None:
        self._var = var
        self._next_look = 0.0
        self._process: subprocess.Popen[bytes] | None = None

    def look(self) -> None:
        """Start a backup if one is due; asked every half second, looks every half minute."""
        if self._process is not None and self._process.poll() is not None:
            self._note(self._process.returncode)
            self._process = None
        if time.monotonic() < self._next_look or self._process is not None:
            return
        self._next_look = time.monotonic() + _LOOK_EVERY_S
        if self.is_due(now()):
            log = self._var / "log" / "backup.log"
            log.parent.mkdir(parents=True, exist_ok=True)
            with log.open("ab") as output:
                command = [sys.executable, "-m", "fleet_rival.cli", "backup", "--scheduled"]
                self._process = subprocess.Popen(command, stdin=subprocess.DEVNULL, stdout=output, stderr=output)

    def is_due(self, moment: datetime) -> bool:
        """Whether a backup should be made now: none was made since it was due last, and no failed one waits for its
        turn.
        """
        due = Settings.read(self._var).last_due(moment.astimezone())
        if due is None:
            return False
        made = sorted((self._var / "backups").glob("*.backup.zip"), key=lambda path: path.stat().st_mtime)
        newest = _written(made[-1]) if made else None
        set_at = self._var / "backups" / "schedule.json"
        since = newest or (_written(set_at) if set_at.exists() else None)
        ended = last_ended(self._var)
        waits = ended is not None and ended.again_at is not None and moment < ended.again_at
        return since is not None and since < due and not waits

    def _note(self, code: int) -> None:
        """The command notes by itself how it ended, unless it was ended itself."""
        ended = last_ended(self._var)
        if code < 0 and (ended is None or (now() - ended.at) > timedelta(seconds=5)):
            note_ended(self._var, f"the process that made it was ended from outside (signal {-code})", now())


def _written(path: Path) -> datetime:
    return datetime.fromtimestamp(path.stat().st_mtime, UTC) + AHEAD
