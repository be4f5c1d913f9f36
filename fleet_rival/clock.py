"""The one clock: what time it is, for everything that asks.

`FLEET_CLOCK_AHEAD_S` of the environment sets it ahead of the machine's, so that the whole application can be tried on
another day.
"""

import os
from datetime import UTC, datetime, timedelta
from typing import Final

__all__ = ["AHEAD", "now"]

AHEAD: Final = timedelta(seconds=float(os.environ.get("FLEET_CLOCK_AHEAD_S") or 0))
"""How far it is ahead of the machine's clock."""


def now() -> datetime:
    """The present moment, in UTC."""
    return datetime.now(UTC) + AHEAD
