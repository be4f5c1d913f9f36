"""How `./fleet bench` measures, and how it writes down what it found."""

import time
from collections.abc import Callable
from statistics import median, quantiles
from typing import Any

__all__ = ["Row", "ninety_five", "ratio", "repeat", "repeat_in_turn", "seconds", "times_in_turn"]

Row = tuple[str, str, str, str]
"""What was measured, how long it took, the floor, the ratio."""


def repeat(act: Callable[[], Any], times: int) -> float:
    """Median of the seconds that something takes, after one run to warm up."""
    act()
    took = []
    for _ in range(times):
        begin = time.perf_counter()
        act()
        took.append(time.perf_counter() - begin)
    return median(took)


def _nothing() -> None:
    """What is to be prepared where nothing is."""


def repeat_in_turn(
    act: Callable[[], Any], floor: Callable[[], Any], times: int, before: Callable[[], Any] = _nothing
) -> tuple[float, float]:
    """Medians of two things done in turn.

    Args:
        before: as in `times_in_turn`.
    """
    one, other = times_in_turn(act, floor, times, before)
    return median(one), median(other)


def times_in_turn(
    act: Callable[[], Any], floor: Callable[[], Any], times: int, before: Callable[[], Any] = _nothing
) -> tuple[list[float], list[float]]:
    """Seconds that two things take, done in turn, so that whatever else the machine does meets both alike.

    Args:
        before: done each time before both, and not measured.
    """
    act()
    floor()
    took: tuple[list[float], list[float]] = ([], [])
    for _ in range(times):
        before()
        for one, seconds in zip((act, floor), took, strict=True):
            begin = time.perf_counter()
            one()
            seconds.append(time.perf_counter() - begin)
    return took


def ninety_five(took: list[float]) -> float:
    """The 95th percentile."""
    return quantiles(took, n=20, method="inclusive")[-1]


def seconds(value: float) -> str:
    return f"{value:.2f} s" if value >= 1 else f"{value * 1000:.3g} ms"


def ratio(value: float, floor: float, aim: str = "") -> str:
    return f"{value / floor:.3g}" + (f" (aim ≤ {aim})" if aim else "")
