"""Tyres and stops: every legal plan with its time, how sure that is, how often each wins, and what would change the
choice.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations_with_replacement
from typing import Final

import numpy as np

__all__ = ["CompoundPace", "Rules", "StopPlan", "Strategy", "longest_stint", "plans_of", "tells_of_stint", "time_of"]

_MOST_STOPS: Final = 4
_TOLD: Final = 12
_LONG_ENOUGH: Final = 0.5
"""Share of a stint."""
"""Plans that are told."""


@dataclass(frozen=True, slots=True)
class CompoundPace:
    """How a compound goes.

    Attributes:
        name: of the compound.
        new_us: a lap on new tyres.
        falloff_us, falloff_low_us, falloff_high_us: a lap and lap of age, with 95 % interval.
        life: laps that a set lasts; None: as long as the race.
        cold_us: what the first lap on a new set costs.
        cliff: age from which it falls off faster; None: none.
        beyond_us: falloff beyond that.
    """

    name: str
    new_us: float
    falloff_us: float
    falloff_low_us: float
    falloff_high_us: float
    life: int | None = None
    cold_us: float = 0.0
    cliff: float | None = None
    beyond_us: float = 0.0


@dataclass(frozen=True, slots=True)
class Rules:
    """What a plan has to keep.

    Attributes:
        laps: of the race.
        must: compounds that have to be driven.
        least_stops: at least.
        pit_us, pit_deviation_us: what a stop costs over driving on, and how far that varies.
        fuel_laps: laps that a full tank lasts; None: the race.
    """

    laps: int
    must: frozenset[str] = frozenset()
    least_stops: int = 0
    most_stops: int = _MOST_STOPS
    pit_us: float = 25e6
    pit_deviation_us: float = 1.5e6
    fuel_laps: int | None = None


@dataclass(frozen=True, slots=True)
class StopPlan:
    """One plan.

    Attributes:
        stints: compound and laps of each.
        time_us, low_us, high_us: of the race, with 95 % interval.
        wins: share of the draws in which no other plan is faster.
        behind_us: the best one's time less.
    """

    stints: tuple[tuple[str, int], ...]
    time_us: float
    low_us: float
    high_us: float
    wins: float
    behind_us: float

    @property
    def stops(self) -> int:
        return len(self.stints) - 1


@dataclass(frozen=True, slots=True)
class Strategy:
    """All plans that are worth telling, the fastest first.

    Attributes:
        pit_flips_us: what a stop would have to cost for the best plan of another number of stops to be as fast as the
            best: by number of stops.
        why_none: why there is no legal plan; empty where there is one.
        falloff_flips: by compound of the best plan, the falloff nearest to what is known of it at which another plan is
            as fast, and that plan.
    """

    plans: tuple[StopPlan, ...]
    pit_flips_us: Mapping[int, float] = field(default_factory=dict)
    why_none: str = ""
    falloff_flips: Mapping[str, tuple[float, tuple[tuple[str, int], ...]]] = field(default_factory=dict)


def time_of(pace: CompoundPace, laps: int, falloff_us: float | None = None) -> float:
    """What a stint takes, in microseconds: laps on new tyres, the cold first one, and falloff that grows with age,
    faster beyond the cliff.

    >>> time_of(CompoundPace("a", 100.0, 2.0, 2.0, 2.0), 3)
    306.0
    """
    slope = pace.falloff_us if falloff_us is None else falloff_us
    ages = np.arange(laps)
    beyond = np.clip(ages - pace.cliff, 0, None).sum() * pace.beyond_us if pace.cliff is not None else 0.0
    return float(laps * pace.new_us + (pace.cold_us if laps else 0.0) + slope * ages.sum() + beyond)


def tells_of_stint(clean_laps: int, stint: int) -> bool:
    """Whether a run of so many clean laps says how tyres and driver last for a stint: half of it is driven, the rest
    by its slope.

    >>> tells_of_stint(10, 22), tells_of_stint(12, 22)
    (False, True)
    """
    return clean_laps >= _LONG_ENOUGH * stint


def plans_of(compounds: Sequence[CompoundPace], rules: Rules, draws: int = 2000, seed: int = 1) -> Strategy:
    """Every choice of compounds for up to four stops, each with the lengths of stints that are fastest; the order of
    stints doesn't change the time.

    How often a plan wins is drawn, with a seed, from the falloffs' intervals and the scatter of what a stop costs; all
    plans share a draw.

    Raises:
        ValueError: no compound, two of one name, or no lap.
    """
    names = [item.name for item in compounds]
    if not compounds or len(set(names)) != len(names) or rules.laps < 1:
        raise ValueError("a race has laps, and compounds with names of their own")
    tables = [np.array([time_of(item, laps) for laps in range(rules.laps + 1)]) for item in compounds]
    longest = [longest_stint(item, rules) for item in compounds]
    found: list[tuple[tuple[int, ...], tuple[int, ...]]] = []
    for stops in range(rules.least_stops, min(rules.most_stops, rules.laps - 1) + 1):
        for chosen in combinations_with_replacement(range(len(compounds)), stops + 1):
            if (
                rules.must <= {names[index] for index in chosen}
                and (lengths := _fastest(chosen, tables, longest, rules.laps)) is not None
            ):
                found.append((chosen, lengths))
    if not found:
        return Strategy((), why_none=_why_none(compounds, rules, longest))
    return _told(compounds, rules, found, draws, seed)


def longest_stint(pace: CompoundPace, rules: Rules) -> int:
    """Laps that a stint may have: within the race, the tyres' life and the tank."""
    return min(item for item in (rules.laps, pace.life, rules.fuel_laps) if item is not None)


def _fastest(
    chosen: Sequence[int], tables: Sequence[np.ndarray], longest: Sequence[int], laps: int
) -> tuple[int, ...] | None:
    """Lengths of stints that together are fastest, by dynamic programming; None where tyres or fuel don't last."""
    best = np.full(laps + 1, np.inf)
    best[0] = 0.0
    back: list[np.ndarray] = []
    for index in chosen:
        reached = np.full(laps + 1, np.inf)
        length = np.zeros(laps + 1, dtype=int)
        for own in range(1, longest[index] + 1):
            times = best[: laps + 1 - own] + tables[index][own]
            better = times < reached[own:]
            reached[own:][better] = times[better]
            length[own:][better] = own
        best = reached
        back.append(length)
    if not np.isfinite(best[laps]):
        return None
    left, out = laps, []
    for length in reversed(back):
        out.append(int(length[left]))
        left -= out[-1]
    return tuple(reversed(out))


def _told(
    compounds: Sequence[CompoundPace],
    rules: Rules,
    found: Sequence[tuple[tuple[int, ...], tuple[int, ...]]],
    draws: int,
    seed: int,
) -> Strategy:
    # A plan's time is linear in the falloffs and in what a stop costs: fixed part, ages driven by compound, stops.
    ages = np.zeros((len(found), len(compounds)))
    for place, (chosen, lengths) in enumerate(found):
        for index, own in zip(chosen, lengths, strict=True):
            ages[place, index] += own * (own - 1) / 2
    stops = np.array([len(chosen) - 1 for chosen, _ in found], dtype=np.float64)
    fixed = np.array(
        [sum(time_of(compounds[i], n, 0.0) for i, n in zip(chosen, lengths, strict=True)) for chosen, lengths in found]
    )
    slopes = np.array([item.falloff_us for item in compounds])
    times = fixed + ages @ slopes + stops * rules.pit_us
    rng = np.random.default_rng(seed)
    widths = np.array([(item.falloff_high_us - item.falloff_low_us) / 2 / 1.959964 for item in compounds])
    drawn_slopes = slopes + widths * rng.standard_normal((draws, len(compounds)))
    drawn_pits = rules.pit_us + rules.pit_deviation_us * rng.standard_normal(draws)
    drawn = fixed + drawn_slopes @ ages.T + np.outer(drawn_pits, stops)
    wins = np.bincount(drawn.argmin(axis=1), minlength=len(found)) / draws
    low, high = np.quantile(drawn, [0.025, 0.975], axis=0)
    order = sorted(range(len(found)), key=lambda place: (times[place], found[place]))
    best = order[0]
    plans = tuple(
        StopPlan(
            tuple((compounds[i].name, n) for i, n in zip(*found[place], strict=True)),
            float(times[place]),
            float(low[place]),
            float(high[place]),
            float(wins[place]),
            float(times[place] - times[best]),
        )
        for place in order[:_TOLD]
    )
    flips = {}
    for count in sorted({int(value) for value in stops} - {int(stops[best])}):
        # The lengths of stints don't depend on what a stop costs, so that the best plan of a number of stops stays the
        # best of it.
        own = min(times[place] - rules.pit_us * stops[place] for place in range(len(found)) if stops[place] == count)
        flips[count] = float((own - (times[best] - rules.pit_us * stops[best])) / (stops[best] - count))
    turns = {
        compounds[index].name: turn
        for index in sorted(set(found[best][0]))
        if (turn := _turn(compounds, found, ages, times, best, index)) is not None
    }
    return Strategy(plans, {count: value for count, value in flips.items() if value > 0}, falloff_flips=turns)


def _turn(
    compounds: Sequence[CompoundPace],
    found: Sequence[tuple[tuple[int, ...], tuple[int, ...]]],
    ages: np.ndarray,
    times: np.ndarray,
    best: int,
    index: int,
) -> tuple[float, tuple[tuple[str, int], ...]] | None:
    """The falloff of a compound at which another plan, as it stands, is as fast as the best one; None where none is
    at any that could be.
    """
    slope = compounds[index].falloff_us
    turns = []
    for place in range(len(found)):
        # Times are linear in the falloff, so that two plans are as fast as each other at one value of it.
        faster = ages[best, index] - ages[place, index]
        if place != best and faster != 0 and (value := slope + (times[place] - times[best]) / faster) >= 0:
            turns.append((abs(value - slope), place, float(value)))
    if not turns:
        return None
    _, place, value = min(turns)
    return value, tuple((compounds[i].name, n) for i, n in zip(*found[place], strict=True))


def _why_none(compounds: Sequence[CompoundPace], rules: Rules, longest: Sequence[int]) -> str:
    if missing := sorted(rules.must - {item.name for item in compounds}):
        return f"{missing[0]} must be driven, and nothing is known of it"
    if (rules.most_stops + 1) * max(longest) < rules.laps:
        return f"even with {rules.most_stops} stops tyres or fuel don't last {rules.laps} laps"
    if len(rules.must) > rules.most_stops + 1:
        return "more compounds must be driven than there are stints"
    return "no choice of compounds lasts, with those that must be driven"
