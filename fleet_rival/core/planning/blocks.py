"""Blocks of practice: what each kind is for, how long it takes, and what comes before what."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from fleet_rival.core.planning.problem import Care

__all__ = ["BLOCKS", "BLOCK_KINDS", "BlockKind", "minutes_of"]

_STEP_MINUTES: Final = 5
_SLOW_LAP: Final = 1.3
"""Out laps and in laps, over a lap at pace: cold tyres one way, a pit lane the other."""
_WALKED_LAP: Final = 1.15
_UNKNOWN_LAP_US: Final = 90_000_000
"""Where nobody has driven and no target is set."""


@dataclass(frozen=True, slots=True)
class BlockKind:
    """A kind of block.

    Attributes:
        laps: flying laps; 0 for what isn't counted in laps.
        minutes: fixed time besides laps: getting in, setting up, talking it over.
        rank: blocks of one entry come in the order of their ranks; those of one rank in any order.
        driving: at the seat.
        coached: led by a coach.
    """

    code: str
    laps: int
    minutes: int
    rank: int
    driving: bool = True
    coached: bool = False


BLOCK_KINDS: Final = ("walk", "build", "corner", "trial", "wet", "night", "long", "qualifying", "rehearsal", "review")
BLOCKS: Final[Mapping[str, BlockKind]] = {
    item.code: item
    for item in (
        BlockKind("walk", 8, 10, 0),
        BlockKind("build", 14, 5, 1),
        BlockKind("corner", 12, 5, 2),
        BlockKind("trial", 12, 6, 2),
        BlockKind("wet", 12, 6, 2),
        BlockKind("night", 12, 6, 2),
        BlockKind("long", 22, 5, 3),
        BlockKind("qualifying", 4, 10, 4),
        BlockKind("rehearsal", 0, 12, 5),
        BlockKind("review", 0, 25, 2, driving=False, coached=True),
    )
}


def minutes_of(code: str, lap_us: int | None, race_minutes: float, care: Care | None = None) -> int:
    """How long a block takes, on whole five minutes.

    A block that would go beyond the seat limit has as many laps as fit; a rehearsal lasts as long as its race.

    >>> minutes_of("corner", 60_000_000, 20.0)
    20

    Args:
        lap_us: a lap at pace; None where nobody knows.
    """
    kind, care = BLOCKS[code], care or Care()
    if code == "rehearsal":
        return _whole(race_minutes + kind.minutes)
    lap = (lap_us or _UNKNOWN_LAP_US) / 60e6 * (_WALKED_LAP if code == "walk" else 1.0)
    out_and_in = 2 * lap * _SLOW_LAP if kind.driving else 0.0
    minutes = kind.laps * lap + out_and_in + kind.minutes
    return min(_whole(minutes), int(care.seat_limit_minutes)) if kind.driving else _whole(minutes)


def _whole(minutes: float) -> int:
    return int(-(-minutes // _STEP_MINUTES)) * _STEP_MINUTES
