"""The part of `./fleet bench` that plans weeks: how near the bound, how much better than by hand, and how soon."""

import time
from statistics import mean, median
from typing import Final

from fleet_rival.bench.measure import Row, ratio, seconds
from fleet_rival.core.planning.checker import broken_rules
from fleet_rival.core.planning.greedy import greedy_plan
from fleet_rival.core.planning.model import gain_of
from fleet_rival.core.planning.solve import Effort, plan_week
from fleet_rival.simulator.weeks_to_plan import week_to_plan

__all__ = ["bench_plan"]

_WEEKS: Final = 20
_FIRST: Final = 2.0
_WHOLE: Final = 10.0
"""Of the solver's own units, each about a second of a fast core."""


def bench_plan() -> list[Row]:
    """Twenty made-up weeks of 12 drivers in 3 series, with 3 rigs and a coach, each planned with little effort and
    with the usual one.
    """
    first, whole, by_hand, gaps, gains = [], [], [], [], []
    for seed in range(_WEEKS):
        problem = week_to_plan(seed)
        begin = time.perf_counter()
        simple = greedy_plan(problem)
        by_hand.append(time.perf_counter() - begin)
        begin = time.perf_counter()
        quick = plan_week(problem, Effort(units=_FIRST))
        first.append(time.perf_counter() - begin)
        begin = time.perf_counter()
        plan = plan_week(problem, Effort(units=_WHOLE))
        whole.append(time.perf_counter() - begin)
        assert not broken_rules(problem, quick.placed) and not broken_rules(problem, plan.placed), seed
        gaps.append(1 - plan.value / plan.bound)
        gains.append(gain_of(problem, plan.placed) / gain_of(problem, simple))
    name = f"{_WEEKS} made-up weeks of 12 drivers, 3 series, 3 rigs and a coach"
    return [
        (
            f"{name}: a first plan",
            f"{seconds(median(first))}, at most {seconds(max(first))} (aim about 2 s)",
            f"by hand: {seconds(median(by_hand))}",
            ratio(median(first), median(by_hand)),
        ),
        (
            "the plan",
            f"{seconds(median(whole))}, at most {seconds(max(whole))} (aim 10 s)",
            "the same",
            ratio(median(whole), median(by_hand)),
        ),
        (
            "its distance from the proven bound",
            f"{100 * mean(gaps):.2f} % in the mean, at most {100 * max(gaps):.2f} % (aim 3 %)",
            "",
            "",
        ),
        ("its gain over a plan by hand", f"{mean(gains):.2f} times, at least {min(gains):.2f}", "", ""),
    ]
