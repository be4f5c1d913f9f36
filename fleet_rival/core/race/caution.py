"""A caution while the plan is driven: at which laps stopping then is worth it, and how much."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations_with_replacement

import numpy as np

from fleet_rival.core.race.stops import CompoundPace, Rules, StopPlan, longest_stint, time_of

__all__ = ["CautionWindow", "caution_gains", "caution_windows"]


@dataclass(frozen=True, slots=True)
class CautionWindow:
    """Laps behind which a caution makes stopping worth it.

    Attributes:
        first, last: laps behind which one would stop.
        best_us: most that is won, at lap `at`.
    """

    first: int
    last: int
    best_us: float
    at: int


def caution_gains(
    compounds: Sequence[CompoundPace], rules: Rules, plan: StopPlan, caution_pit_us: float
) -> tuple[float | None, ...]:
    """What stopping at once wins over driving on, where a caution comes while a plan is driven; by lap, from the
    first one's end to the last but one.

    Until then the plan is driven; from there on both go on as is fastest, within tyres' life, fuel, stops that must be
    and compounds that must be driven; where one has to stop anyway, a stop at its usual cost. None where stopping
    leaves no way on that is allowed.

    Args:
        caution_pit_us: what a stop costs while the field is slowed.

    Raises:
        ValueError: the plan has a compound that isn't known.
    """
    by_name = {item.name: item for item in compounds}
    if unknown := {name for name, _ in plan.stints} - by_name.keys():
        raise ValueError(f"nothing is known of {sorted(unknown)[0]}")
    tables = [np.array([time_of(item, laps) for laps in range(rules.laps + 1)]) for item in compounds]
    longest = [longest_stint(item, rules) for item in compounds]
    ways = list(_ways(compounds, tables, longest, rules))
    out: list[float | None] = []
    stint, begun = 0, 0
    for lap in range(1, rules.laps):
        while lap > begun + plan.stints[stint][1]:
            begun += plan.stints[stint][1]
            stint += 1
        name = plan.stints[stint][0]
        used, stops, left = {item for item, _ in plan.stints[: stint + 1]}, stint, rules.laps - lap
        stop = min(
            (
                caution_pit_us + (len(way) - 1) * rules.pit_us + float(times[left])
                for way, times in ways
                if _allowed(rules, used | set(way), stops + len(way))
            ),
            default=np.inf,
        )
        index = [item.name for item in compounds].index(name)
        age = lap - begun
        on = np.inf
        for more in range(1, min(left, longest[index] - age) + 1):
            further = float(tables[index][age + more] - tables[index][age])
            if more == left:
                on = min(on, further if _allowed(rules, used, stops) else np.inf)
                continue
            then = (
                len(way) * rules.pit_us + float(times[left - more])
                for way, times in ways
                if _allowed(rules, used | set(way), stops + len(way))
            )
            on = min(on, further + min(then, default=np.inf))
        if not np.isfinite(on):
            # Who has to stop here anyway wins what the stop is cheaper by.
            on = stop + rules.pit_us - caution_pit_us
        out.append(float(on - stop) if np.isfinite(stop) else None)
    return tuple(out)


def caution_windows(
    compounds: Sequence[CompoundPace], rules: Rules, plan: StopPlan, caution_pit_us: float
) -> tuple[CautionWindow, ...]:
    """Stretches of laps at which stopping under a caution is worth it; arguments and errors as in `caution_gains`."""
    gains = caution_gains(compounds, rules, plan, caution_pit_us)
    out: list[CautionWindow] = []
    for lap, gain in enumerate(gains, 1):
        if gain is None or gain <= 0:
            continue
        last = out[-1] if out else None
        if last is not None and last.last == lap - 1:
            best, at = (gain, lap) if gain > last.best_us else (last.best_us, last.at)
            out[-1] = CautionWindow(last.first, lap, best, at)
        else:
            out.append(CautionWindow(lap, lap, gain, lap))
    return tuple(out)


def _allowed(rules: Rules, used: set[str], stops: int) -> bool:
    return rules.must <= used and rules.least_stops <= stops <= rules.most_stops


def _ways(
    compounds: Sequence[CompoundPace], tables: Sequence[np.ndarray], longest: Sequence[int], rules: Rules
) -> Iterator[tuple[tuple[str, ...], np.ndarray]]:
    """Choices of compounds for stints to come, each with the fastest time by the laps that they are driven over."""
    for count in range(1, rules.most_stops + 1):
        for chosen in combinations_with_replacement(range(len(compounds)), count):
            best = np.full(rules.laps + 1, np.inf)
            best[0] = 0.0
            for index in chosen:
                reached = np.full(rules.laps + 1, np.inf)
                for own in range(1, longest[index] + 1):
                    np.minimum(reached[own:], best[: rules.laps + 1 - own] + tables[index][own], out=reached[own:])
                best = reached
            yield tuple(compounds[index].name for index in chosen), best
