"""What a stop costs over driving on, as far as practice tells it."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.verdict import is_slow_on_purpose

__all__ = ["PitLoss", "pit_loss"]

_LEAST: Final = 2


@dataclass(frozen=True, slots=True)
class PitLoss:
    """In laps and out laps of practice against laps at pace.

    Attributes:
        loss_us: what both together take longer than two laps at pace: the lane, braking for it and driving off;
            standing still isn't in it.
        in_laps, out_laps: that tell.
    """

    loss_us: float
    in_laps: int
    out_laps: int


def pit_loss(laps: Sequence[Lap], median_us: float) -> PitLoss | None:
    """What the pit lane costs, from practised in laps and out laps; None of fewer than two of either.

    Args:
        laps: of one driver in one weather.
        median_us: a lap at pace.
    """
    came = [lap.time_us for lap in laps if lap.kind == "in" and not is_slow_on_purpose(lap)]
    went = [lap.time_us for lap in laps if lap.kind == "out"]
    if min(len(came), len(went)) < _LEAST:
        return None
    return PitLoss(max(0.0, float(np.median(came) + np.median(went)) - 2 * median_us), len(came), len(went))
