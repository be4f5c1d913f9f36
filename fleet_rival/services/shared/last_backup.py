"""How the last backup that was due ended, as it stands beside the backups themselves: it must be known when the
database isn't.
"""

import json
import os
from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import Final

__all__ = ["Ended", "last_ended", "note_ended", "this_var"]

_FIRST_PAUSE: Final = timedelta(minutes=5)
_LONGEST_PAUSE: Final = timedelta(hours=6)


@dataclass(frozen=True)
class Ended:
    """How the last backup that was due ended.

    Attributes:
        at: when.
        trouble: why it failed; None: it is made.
        failures: how many failed one after the other.
        again_at: when one that failed is tried again.
    """

    at: datetime
    trouble: str | None = None
    failures: int = 0
    again_at: datetime | None = None


def note_ended(var: Path, trouble: str | None, moment: datetime) -> None:
    """Keep how a scheduled backup ended; one that fails is tried again after pauses that grow."""
    before = last_ended(var)
    failures = (before.failures if before else 0) + 1 if trouble else 0
    again = moment + min(_LONGEST_PAUSE, _FIRST_PAUSE * 2 ** min(10, failures - 1)) if trouble else None
    told = Ended(moment, trouble, failures, again)
    place = _place(var)
    place.parent.mkdir(parents=True, exist_ok=True)
    unfinished = place.with_suffix(".new")
    unfinished.write_text(json.dumps(asdict(told), default=datetime.isoformat))
    unfinished.replace(place)


def last_ended(var: Path) -> Ended | None:
    """How the last scheduled backup ended; None: there was none."""
    try:
        told = json.loads(_place(var).read_text())
        again = told["again_at"]
        return Ended(
            datetime.fromisoformat(told["at"]),
            told["trouble"],
            int(told["failures"]),
            datetime.fromisoformat(again) if again else None,
        )
    except (OSError, ValueError, KeyError, TypeError):
        return None


def _place(var: Path) -> Path:
    return var / "backups" / "last.json"


def this_var() -> Path | None:
    """Where this installation keeps what is its own, as the environment says; None: nobody has said."""
    named = os.environ.get("FLEET_VAR")
    return Path(named) if named else None
