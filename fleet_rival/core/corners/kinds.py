"""The kind of a mistake: the earliest thing done otherwise that explains the loss, not the largest symptom.

Who brakes too late runs wide, picks up the throttle too late and is slow down the straight: the kind is late braking.
    So candidates are looked
for from the braking zone to the exit, each against the scatter of the driver's own ordinary passes there, and the first
one before most of the loss
counts.
"""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.corners.compare import RISE_PCT, Comparison
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import MAD_TO_SD
from fleet_rival.core.words import CORNER_PHASES, Point

__all__ = [
    "CARRIED",
    "FORESTALLED",
    "PHASE_OF",
    "POINT_OF",
    "Cause",
    "Scatter",
    "cause_of",
    "loss_begins_m",
    "phase_losses",
    "scatter_of",
]

PHASE_OF: Final[Mapping[str, str]] = {
    "early-brake": "approach",
    "late-brake": "approach",
    "lock-up": "entry",
    "double-input": "entry",
    "over-slow": "entry",
    "missed-apex": "middle",
    "wrong-gear": "middle",
    "slide": "middle",
    "kerb": "middle",
    "spin": "middle",
    "contact": "approach",
    "early-throttle": "exit",
    "late-throttle": "exit",
    "limiter": "exit",
    "wide-exit": "exit",
    "limits": "exit",
}
"""In which phase of the corner a kind begins."""
POINT_OF: Final[Mapping[str, Point]] = {
    "early-brake": "braking",
    "late-brake": "braking",
    "lock-up": "braking",
    "double-input": "turn-in",
    "over-slow": "apex",
    "missed-apex": "apex",
    "slide": "pick-up",
    "late-throttle": "pick-up",
    "early-throttle": "pick-up",
    "wide-exit": "exit",
    "limits": "exit",
}
"""The reference that helps against a kind; for the others the corner's braking."""

_SURE: Final = 3.0
"""Deviations of the driver's ordinary passes: one in 700 lies beyond by chance."""
CARRIED: Final = "carried"
"""No kind: the car came slower into the segment, and lost little more there."""
FORESTALLED: Final = "forestalled"
"""No kind either: the brakes were on for the next corner before this segment ended; the mistake is that corner's."""
_OWN_SHARE: Final = 0.5
"""What is lost here is told here if it is at least half of what was brought along: below that the speed that came in
explains the pass.
"""
_EXPLAINS: Final = 0.6
"""Share of the lost energy that must have been lost from the cause on: more than half, and less than all, since
ordinary passes lose a little too.
"""
_BEGINS: Final = 0.15
"""The loss begins where this share of it is there: the first metres are noise."""
_FORESTALLS_M: Final = 70.0
"""Nobody brakes further ahead than this by mistake."""
_LEVEL_SPEED: Final = 0.97
"""Within three per cent of the good pass a car is as fast."""
_INPUT_PCT: Final = 12.0
"""Pedals that differ by less are the same foot."""


@dataclass(frozen=True, slots=True)
class Scatter:
    """How far ordinary passes lie about the good one: robust deviations."""

    brake_m: float
    pick_up_m: float
    slowest_kmh: float
    outward_m: float
    widest_m: float
    passes: int


@dataclass(frozen=True, slots=True)
class Cause:
    """What explains a loss.

    Attributes:
        kind: after the vocabulary of mistakes.
        at_m: where it begins.
        facts: what was measured against the good pass, by name; units are in the names.
    """

    kind: str
    at_m: float
    facts: Mapping[str, float] = field(default_factory=dict)


def scatter_of(comparison: Comparison, ordinary: NDArray[np.bool_]) -> Scatter:
    """Scatter of ordinary passes, never below what recorders resolve.

    Args:
        ordinary: which of the passes are, shape (passes,).
    """
    chosen = ordinary & comparison.usable

    def deviation(values: NDArray[np.float64], least: float) -> float:
        known = values[chosen & np.isfinite(values)]
        if len(known) < 4:
            return 2 * least
        return max(MAD_TO_SD * float(np.median(np.abs(known - np.median(known)))), least)

    # A metre and a half at 60 samples a second and 90 m/s; a km/h; a hand's breadth on the road.
    return Scatter(
        deviation(comparison.brake_shift_m, 0.7),
        deviation(comparison.pick_up_shift_m, 1.5),
        deviation(comparison.slowest_kmh, 0.8),
        deviation(comparison.outward_m, 0.25),
        deviation(comparison.widest_m, 0.25),
        int(chosen.sum()),
    )


def cause_of(
    comparison: Comparison, index: int, scatter: Scatter, settings: Settings, limiter_rpm: float | None = None
) -> Cause | None:
    """The cause of one pass's loss.

    Args:
        index: of the pass in the comparison.
        scatter: of the driver's ordinary passes there.
        limiter_rpm: from which on the engine is at its limit; None: not known.

    Returns:
        None where nothing that was done otherwise explains it.
    """
    if not comparison.usable[index]:
        return None
    looked = _Pass(comparison, index, scatter, settings, limiter_rpm)
    if looked.brought > 0 and looked.total < _OWN_SHARE * looked.brought:
        return Cause(CARRIED, float(looked.at[looked.marks.start]), {"arrives_kmh": looked.arrives_kmh})
    if looked.total <= 0:
        return None
    if looked.brakes_for_the_next():
        return Cause(FORESTALLED, float(looked.at[looked.begins]))
    found = [cause for look in _LOOKS for cause in look(looked)]
    explaining = [cause for cause in found if looked.lost_from(cause.at_m) >= _EXPLAINS]
    # Of two that begin within a car's length, the one earlier in the list is the cause of the other.
    if not explaining:
        return None
    first = min(cause.at_m for cause in explaining)
    return next(cause for cause in explaining if cause.at_m <= first + 6.0)


def phase_losses(comparison: Comparison, index: int) -> dict[str, float]:
    """Seconds lost in approach, entry, middle and exit; they add up to what was lost in the segment."""
    marks = comparison.marks
    stop = int(np.searchsorted(comparison.at_m, comparison.road.end_m)) - 1
    brake = max(marks.start, min(marks.brake if marks.brake is not None else marks.slow, stop))
    middle_from = max(brake, marks.slow - max(1, round(10 / comparison.step_m)))
    exit_from = max(middle_from, min(stop, max(marks.leaves, marks.pick_up or marks.leaves)))
    places = [marks.start, brake, min(middle_from, stop), exit_from, stop]
    gone = comparison.loss_s[index, places]
    return {
        phase: float(after - before) for phase, before, after in zip(CORNER_PHASES, gone[:-1], gone[1:], strict=True)
    }


def loss_begins_m(comparison: Comparison, index: int) -> float | None:
    """Where a pass's loss begins: the last place at which less than a tenth of it was there; None where nothing was
    lost.
    """
    at, loss = comparison.at_m, comparison.loss_s[index]
    stop = int(np.searchsorted(at, comparison.road.end_m)) - 1
    whole = float(loss[stop])
    if not whole > 0:
        return None
    before = np.flatnonzero(loss[: stop + 1] <= 0.1 * whole)
    return float(at[before[-1]]) if len(before) else None


class _Pass:
    """One pass over the good one, with what every look asks for."""

    def __init__(
        self, comparison: Comparison, index: int, scatter: Scatter, settings: Settings, limiter_rpm: float | None
    ) -> None:
        self.comparison, self.index, self.scatter, self.settings, self.limiter_rpm = (
            comparison,
            index,
            scatter,
            settings,
            limiter_rpm,
        )
        self.marks, self.at = comparison.marks, comparison.at_m
        self.own = {name: values[index] for name, values in comparison.passes.items()}
        self.good = comparison.good
        self.stop = int(np.searchsorted(self.at, comparison.road.end_m))
        lost = comparison.lost[index].copy()
        lost[self.stop :] = 0.0
        # What was lost on the way here belongs to the corner before, unless it was lost by braking for this one.
        before = np.arange(len(lost)) <= self.marks.start
        if self.marks.brake is not None and self.has("brake_pct"):
            before &= ~(
                (self.own["brake_pct"] > settings.brake_on_pct) & (self.at >= self.at[self.marks.brake] - _FORESTALLS_M)
            )
        lost[before] = 0.0
        start = self.marks.start
        self.begins = self._begins(lost, before)
        lost[: self.begins] = 0.0
        self.lost = lost
        self.total = float(lost.sum())
        own, good = float(self.own["speed_kmh"][start]), float(self.good["speed_kmh"][start])
        self.arrives_kmh = own - good
        # Only what is clearly slower where the segment begins was slowed before.
        self.brought = max(0.0, (good**2 - own**2) / 2) if own < _LEVEL_SPEED * good else 0.0

    def _begins(self, lost: NDArray[np.float64], before: NDArray[np.bool_]) -> int:
        """Where the longest climb of what is missing begins: what was brought along and came back meanwhile is none
        of it.
        """
        lack = (self.good["speed_kmh"] ** 2 - self.own["speed_kmh"] ** 2) / 2
        lack = np.where(before | (np.arange(len(lack)) >= self.stop), np.nan, lack)
        if not np.isfinite(lack).any():
            return self.stop
        climb = lack - np.fmin.accumulate(lack)
        worst = int(np.nanargmax(climb))
        if not climb[worst] > 0:
            return self.stop
        return int(np.flatnonzero(climb[: worst + 1] <= _BEGINS * climb[worst])[-1])

    def lost_from(self, at_m: float) -> float:
        """Share of the lost energy that was lost from a place on."""
        return self.lost_where(self.at >= at_m - self.comparison.step_m)

    def lost_where(self, mask: NDArray[np.bool_]) -> float:
        return float(self.lost[mask].sum()) / self.total if self.total else 0.0

    def has(self, *names: str) -> bool:
        """Whether channels are known throughout the segment, of this pass and of the good one."""
        inside = slice(self.marks.start, self.stop)
        return all(
            name in self.good and name in self.own and bool(np.isfinite(self.own[name][inside]).all()) for name in names
        )

    def more(self, name: str, least: float) -> NDArray[np.bool_]:
        return np.asarray(self.own[name] > self.good[name] + least)

    def less(self, name: str, least: float) -> NDArray[np.bool_]:
        return np.asarray(self.own[name] < self.good[name] - least)

    def brakes_for_the_next(self) -> bool:
        """Whether most was lost with the brakes on towards the segment's end, where the good pass isn't braking yet."""
        if not self.has("brake_pct"):
            return False
        on = self.settings.brake_on_pct
        soon = (
            (self.own["brake_pct"] > on)
            & (self.good["brake_pct"] <= on)
            & (self.at >= self.at[self.stop - 1] - _FORESTALLS_M)
        )
        return self.marks.leaves < self.begins and self.lost_where(_widened(soon, 1)) >= _EXPLAINS

    def begun_here(self, mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """The mask without what was under way already where the segment begins: that was begun in the corner before."""
        out = mask.copy()
        place = self.marks.start
        while place < len(out) and out[place]:
            out[place] = False
            place += 1
        out[: self.marks.start] = False
        return out

    def braked_on(self) -> NDArray[np.bool_]:
        """Where the brake is held though the car is slower than the good pass already, up to where that one leaves
        its slowest place.
        """
        if not self.has("brake_pct"):
            return np.zeros(len(self.at), dtype=bool)
        held = (
            (self.own["brake_pct"] > self.settings.brake_on_pct)
            & self.more("brake_pct", 0.0)
            & self.less("speed_kmh", 0.0)
        )
        return np.asarray(held & (np.arange(len(self.at)) <= self.marks.leaves + 1))

    def soon_after(self, place: int) -> bool:
        """Whether the loss begins no more than a second and a half behind a place: so long does a car take to
        settle.
        """
        begins = self.at[min(self.begins, len(self.at) - 1)]
        return bool(-10.0 <= begins - self.at[place] <= max(10.0, 1.5 * self.own["speed_kmh"][place] / 3.6))

    def away(self, places: NDArray[np.intp], within_m: float) -> bool:
        """Whether the first of the places lies no further than this behind where the loss begins."""
        return bool(len(places)) and self.at[places[0]] <= self.at[min(self.begins, len(self.at) - 1)] + within_m


def _braking(looked: _Pass) -> Iterator[Cause]:
    """Too early or too late, beyond what the own minimum speed needs."""
    compared, index = looked.comparison, looked.index
    shift, needed = float(compared.brake_shift_m[index]), float(compared.brake_needed_m[index])
    if looked.marks.brake is None or not np.isfinite(shift):
        return
    level_at = float(looked.at[looked.marks.brake])
    # Late, and off the line at the slowest place: two signs that agree need less of each.
    away = compared.outward_m[index] > max(2 * looked.scatter.outward_m, 0.4)
    sure = _SURE * looked.scatter.brake_m
    facts = {"brake_shift_m": shift, "slowest_kmh": float(compared.slowest_kmh[index])}
    sooner = shift + max(0.0, needed) if np.isfinite(needed) else shift
    before_exit = looked.comparison.loss_s[index]
    whole = float(before_exit[looked.stop - 1])
    by_then = float(before_exit[min(looked.marks.leaves, looked.stop - 1)])
    if sooner < -max(sure, 2.5) and whole > 0 and by_then >= 0.4 * whole:
        yield Cause("early-brake", level_at + shift, facts)
    elif (
        shift > max((2 if away else _SURE) * looked.scatter.brake_m, 1.2)
        and looked.lost_where(looked.braked_on()) < 0.4
    ):
        yield Cause("late-brake", level_at, facts)


def _locked(looked: _Pass) -> Iterator[Cause]:
    if not looked.has("lock_pct"):
        return
    locked = np.flatnonzero(looked.more("lock_pct", 15.0)[: looked.marks.leaves + 1])
    if len(locked) > 1:
        yield Cause("lock-up", float(looked.at[locked[0]]), {"lock_pct": float(looked.own["lock_pct"][locked].max())})


def _all_at_once(looked: _Pass) -> Iterator[Cause]:
    """A down-shift while braking and turning, which the good pass doesn't make there."""
    if not looked.has("gear", "brake_pct", "steering_deg"):
        return
    gear, settings = looked.own["gear"], looked.settings
    down = np.flatnonzero(np.diff(gear) < 0) + 1
    around = max(1, round(9 / looked.comparison.step_m))
    for place in down:
        if not looked.marks.start <= place <= looked.marks.leaves + around:
            continue
        near = slice(max(0, place - around), place + around + 1)
        # Pedal and wheel just before the shift: both may be let go at once with it.
        just = slice(max(0, place - 2), place + 1)
        braking = np.nanmax(looked.own["brake_pct"][just]) > settings.brake_on_pct
        turning = np.nanmax(np.abs(looked.own["steering_deg"][just])) > settings.steering_on_deg
        other = gear[place] < np.nanmin(looked.good["gear"][near])
        if braking and turning and other and _unsettled(looked, int(place)) and looked.soon_after(int(place)):
            yield Cause("double-input", float(looked.at[place]), {"gear": float(gear[place])})
            return


def _unsettled(looked: _Pass, place: int) -> bool:
    """Whether a down-shift shook the car: the engine at its limit with the foot off, or the wheel let go or turned
    against the corner.
    """
    after = slice(place, place + max(2, round(24 / looked.comparison.step_m)))
    if (
        looked.limiter_rpm is not None
        and looked.has("rpm")
        and np.nanmax(looked.own["rpm"][after]) >= 0.98 * looked.limiter_rpm
    ):
        return True
    own, good = looked.own["steering_deg"][after], looked.good["steering_deg"][after]
    on = looked.settings.steering_on_deg
    return bool(((np.sign(own) != np.sign(good)) & (np.abs(good) > on) & (np.abs(own - good) > 2 * on)).any())


def _too_slow(looked: _Pass) -> Iterator[Cause]:
    """Slower than needed by the time the good pass leaves the slowest place, the braking not having begun too soon."""
    compared, index, marks = looked.comparison, looked.index, looked.marks
    lack = -float(compared.slowest_kmh[index])
    low = float(np.nanmin(looked.good["speed_kmh"][marks.slow : marks.leaves + 1]))
    if not lack > max(_SURE * looked.scatter.slowest_kmh, 2.0, 0.02 * low):
        return
    there = np.arange(len(looked.at)) <= marks.leaves + 1
    if looked.lost_where(there) >= 0.5:
        yield Cause("over-slow", float(looked.at[looked.begins]), {"slowest_kmh": -lack})


def _sliding(looked: _Pass) -> Iterator[Cause]:
    """The wheel against the corner, or wheels that spin: the car has stepped out."""
    first, after = looked.marks.start, looked.stop
    if looked.has("slip_pct"):
        slipping = np.flatnonzero(looked.more("slip_pct", 15.0)[first:after]) + first
        if len(slipping) > 1 and looked.away(slipping, 15.0):
            yield Cause(
                "slide", float(looked.at[slipping[0]]), {"slip_pct": float(looked.own["slip_pct"][slipping].max())}
            )
            return
    if looked.has("steering_deg"):
        on = looked.settings.steering_on_deg
        own, good = looked.own["steering_deg"], looked.good["steering_deg"]
        against = (np.sign(own) == -np.sign(good)) & (np.abs(own) > on) & (np.abs(good) > on)
        places = np.flatnonzero(against[first:after]) + first
        if len(places) > 1 and looked.away(places, 15.0):
            yield Cause("slide", float(looked.at[places[0]]), {"against_deg": float(np.abs(own[places]).max())})


def _missed(looked: _Pass) -> Iterator[Cause]:
    away, further = float(looked.comparison.outward_m[looked.index]), float(looked.comparison.widest_m[looked.index])
    # Who is carried out further and further behind the apex didn't miss it; and a missed apex costs at once.
    at_once = looked.begins < len(looked.at) and looked.at[looked.begins] <= looked.at[looked.marks.leaves] + 9.0
    if away > max(_SURE * looked.scatter.outward_m, 0.8) and further < 0.7 * away and at_once:
        yield Cause("missed-apex", float(looked.at[looked.marks.slow]), {"outward_m": away})


def _gear(looked: _Pass) -> Iterator[Cause]:
    """The foot is down, and the car doesn't pull: another gear than on good passes, or the engine at its limit."""
    if not looked.has("gear", "throttle_pct"):
        return
    pulling = ~looked.less("throttle_pct", 5.0) & (looked.own["throttle_pct"] > 30.0)
    if looked.has("brake_pct"):
        pulling &= looked.own["brake_pct"] <= looked.settings.brake_on_pct
    if looked.limiter_rpm is not None and looked.has("rpm"):
        limited = pulling & (looked.own["rpm"] >= looked.limiter_rpm) & (looked.good["rpm"] < looked.limiter_rpm)
        limited = looked.begun_here(limited)
        places = np.flatnonzero(limited[: looked.stop])
        # Two points in a row at least, and half of all that was lost.
        if len(places) > 1 and looked.lost_where(_widened(limited, 2)) >= 0.5:
            took = float(looked.own["time_s"][places[-1]] - looked.own["time_s"][places[0]])
            yield Cause("limiter", float(looked.at[places[0]]), {"limiter_s": took})
            return
    other = looked.begun_here(np.abs(looked.own["gear"] - np.round(looked.good["gear"])) >= 1)
    places = np.flatnonzero(other & pulling & (looked.lost > 0))
    first = int(places[0]) if len(places) else 0
    # The gear was chosen before the foot came down.
    while first > 2 and other[first - 3 : first].any():
        first -= 1
    # A car that is slow already shifts elsewhere: then the gear is a symptom.
    level = looked.own["speed_kmh"][first] > _LEVEL_SPEED * looked.good["speed_kmh"][first]
    driven = pulling & (np.arange(len(other)) >= first)
    if (
        len(places) > 2
        and level
        and looked.lost_where(_widened(driven, 1)) >= 0.5
        and looked.at[first] <= looked.at[looked.begins] + 10.0
    ):
        near = slice(first, first + 3)
        facts = {
            "gear": float(np.median(looked.own["gear"][near])),
            "good_gear": float(np.median(looked.good["gear"][near])),
        }
        yield Cause("wrong-gear", float(looked.at[first]), facts)


def _throttle(looked: _Pass) -> Iterator[Cause]:
    """Picked up too soon and lifted, lifted because the road ends, or picked up too late."""
    marks, step = looked.marks, looked.comparison.step_m
    if not looked.has("throttle_pct") or marks.pick_up is None:
        return
    own, good = looked.own["throttle_pct"], looked.good["throttle_pct"]
    shift = float(looked.comparison.pick_up_shift_m[looked.index])
    sure = max(_SURE * looked.scatter.pick_up_m, 4.0)
    less = looked.less("throttle_pct", _INPUT_PCT)
    after = np.arange(len(own))
    exits = (after >= min(marks.slow, marks.pick_up)) & (after < looked.stop)
    short = np.flatnonzero(less & exits & (looked.at >= looked.at[min(looked.begins, len(own) - 1)] - 10))
    if not len(short) or looked.lost_where(_widened(less & exits, 1)) < 0.5:
        return
    begins = int(short[0])
    facts = {"pick_up_m": shift, "slowest_kmh": float(looked.comparison.slowest_kmh[looked.index])}
    back = max(0, marks.pick_up - round(60 / step))
    had = own[back : begins + 1]
    highest = float(np.nanmax(own[min(begins, marks.pick_up) - 1 : begins + 1])) if begins else 0.0
    held = float(np.nanmin(good[marks.slow : (marks.full or marks.slow) + 1]))
    lowest = float(np.nanmin(own[begins : min(looked.stop, begins + max(3, round(45 / step)))]))
    early = (
        (own > good + _INPUT_PCT)
        & (after >= marks.slow - round(25 / step))
        & (after <= marks.pick_up + 1)
        & _foot_off(looked)
    )
    if early.sum() >= 2 and shift < -min(sure, 5.0) and np.nanmax(own[early]) - lowest > _INPUT_PCT:
        yield Cause("early-throttle", float(looked.at[np.flatnonzero(early)[0]]), facts)
        return
    wide = float(looked.comparison.widest_m[looked.index])
    picked = abs(shift) <= sure and highest > held + 0.7 * RISE_PCT
    if picked and np.isfinite(wide) and wide > max(_SURE * looked.scatter.widest_m, 0.7):
        yield Cause("wide-exit", float(looked.at[begins]), {**facts, "widest_m": wide})
    elif shift > sure or (shift > 0.5 * sure and len(had) and highest <= held + _INPUT_PCT):
        yield Cause("late-throttle", float(looked.at[min(begins, marks.pick_up)]), facts)


def _foot_off(looked: _Pass) -> NDArray[np.bool_]:
    """Places from which on the throttle was closed for the corner: what is open before belongs to the way there."""
    own = looked.own["throttle_pct"]
    first = max(0, looked.marks.brake if looked.marks.brake is not None else looked.marks.start)
    closed = np.zeros(len(own), dtype=bool)
    closed[first:] = np.logical_or.accumulate(own[first:] < 10.0)
    return closed


def _widened(mask: NDArray[np.bool_], points: int) -> NDArray[np.bool_]:
    """The mask with so many points on either side: speed follows the foot by a moment."""
    out = mask.copy()
    for by in range(1, points + 1):
        out[by:] |= mask[:-by]
        out[:-by] |= mask[by:]
    return out


_LOOKS: Final[tuple[Callable[[_Pass], Iterator[Cause]], ...]] = (
    _locked,
    _braking,
    _all_at_once,
    _too_slow,
    _missed,
    _sliding,
    _gear,
    _throttle,
)
"""From the braking zone to the exit."""
