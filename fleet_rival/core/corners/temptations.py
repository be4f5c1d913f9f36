"""Track limits as a temptation: what a driver wins beyond them at a corner, and which laps it voids."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.corners.references import PartFigures
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.options import Shift
from fleet_rival.core.options.shifts import hodges_lehmann

__all__ = ["Temptation", "temptations_of"]

_LEAST: Final = 3
"""Strikes at a corner below which it is no habit."""
_FASTEST: Final = 5
"""Laps among which those that were voided are counted: what a qualifying or a best lap is drawn from."""


@dataclass(frozen=True, slots=True)
class Temptation:
    """Strikes of one driver at one corner.

    Attributes:
        strikes, passes: passes beyond the limits, of how many.
        won_us: slower beyond the limits than within, with a 95 % interval, in the corner and the part behind it;
            negative: faster. None: too few of either.
        voided: laps that count for nothing because of this corner alone, by position.
        among_fastest: how many of these are among the driver's five fastest.
        would_be_best_us: by how much the fastest of them would be the best lap; None: it wouldn't.
    """

    corner: str
    strikes: int
    passes: int
    won_us: Shift | None
    voided: tuple[int, ...]
    among_fastest: int
    would_be_best_us: int | None

    @property
    def tempts(self) -> bool:
        """Whether it is faster beyond the limits, by more than chance."""
        return self.won_us is not None and self.won_us.high_us < 0


def temptations_of(
    corners: Sequence[str],
    parts: Mapping[str, PartFigures],
    moved_us: Mapping[str, Mapping[int, float]],
    judged: Sequence[JudgedLap],
    members: Sequence[int],
) -> list[Temptation]:
    """Corners at which a driver is struck again and again, the most voided laps first.

    Args:
        corners: parts in the order of the lap.
        moved_us: what setups and options are worth, by part and the lap's position.
        judged: all laps of the driver, in order.
        members: positions of the group's flying laps in `judged`.

    >>> from fleet_rival.core.analysis import analyse
    >>> from fleet_rival.core.example import TRACK, lap
    >>> struck = {"late_s": -0.2, "strikes": ("T2",), "valid": False}
    >>> laps = [lap(number, **({} if number % 3 else struck)) for number in range(2, 26)]
    >>> [driver] = analyse(TRACK, laps).drivers.values()
    >>> [found] = temptations_of(
    ...     ["L0", "T1", "T2", "T3"], driver.main.segments, {}, driver.laps, driver.main.members
    ... )
    >>> found.corner, found.tempts, len(found.voided), found.among_fastest
    ('T2', True, 8, 5)
    """
    found = []
    standing = {index: judged[index].lap.time_us for index in members if judged[index].may_be_best}
    for code, behind in zip(corners, [*corners[1:], None], strict=True):
        struck = [index for index in members if code in judged[index].strikes]
        if len(struck) < _LEAST:
            continue
        within = [index for index in parts[code].passes if code not in judged[index].taken.own]
        voided = {
            index: judged[index].lap.time_us
            for index in struck
            if not judged[index].stands and set(judged[index].strikes) == {code} and not judged[index].incidents
        }
        fastest = sorted({**standing, **voided}.items(), key=lambda item: item[1])[:_FASTEST]
        best, tempting = min(standing.values(), default=None), min(voided.values(), default=None)
        found.append(
            Temptation(
                code,
                len(struck),
                len({*struck, *within}),
                _won(code, behind, parts, moved_us, struck, within),
                tuple(sorted(voided)),
                sum(index in voided for index, _ in fastest),
                best - tempting if best is not None and tempting is not None and tempting < best else None,
            )
        )
    return sorted(found, key=lambda item: (-len(item.voided), -item.strikes, item.corner))


def _won(
    code: str,
    behind: str | None,
    parts: Mapping[str, PartFigures],
    moved_us: Mapping[str, Mapping[int, float]],
    struck: Sequence[int],
    within: Sequence[int],
) -> Shift | None:
    """What passes beyond the limits are slower than those within, setups and options taken out."""
    codes = [code] if behind is None else [code, behind]

    def losses(some: Sequence[int]) -> NDArray[np.float64]:
        return np.asarray(
            [
                sum(parts[part].losses_us[index] - moved_us.get(part, {}).get(index, 0.0) for part in codes)
                for index in some
                if all(index in parts[part].losses_us for part in codes)
            ],
            dtype=np.float64,
        )

    beyond, inside = losses(struck), losses(within)
    return hodges_lehmann(inside, beyond) if min(len(beyond), len(inside)) >= _LEAST else None
