"""The kind of a mistake: the earliest thing done otherwise that explains the loss, not the largest symptom.

Who brakes too late runs wide, picks up the throttle too late and is slow down the straight: the kind is late braking.
    So candidates are looked
for from the braking zone to the exit, each against the scatter of the driver's own ordinary passes there, and the first
one before most of the loss
counts.
"""

from collections.abc import Callable, Iterator, Mapping
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.corners.compare import RISE_PCT, Comparison
from fleet_rival.core.corners.inputs import EXPLAINS, INPUT_PCT, LEVEL_SPEED, SURE, Cause, Pass, Scatter, widened
from fleet_rival.core.settings import Settings
from fleet_rival.core.words import CORNER_PHASES, Point

__all__ = ["CARRIED", "FORESTALLED", "PHASE_OF", "POINT_OF", "cause_of", "loss_begins_m", "phase_losses"]

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

CARRIED: Final = "carried"
"""No kind: the car came slower into the segment, and lost little more there."""
FORESTALLED: Final = "forestalled"
"""No kind either: the brakes were on for the next corner before this segment ended; the mistake is that corner's."""
_OWN_SHARE: Final = 0.5
"""What is lost here is told here if it is at least half of what was brought along: below that the speed that came in
explains the pass.
"""


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
    looked = Pass(comparison, index, scatter, settings, limiter_rpm)
    if looked.brought > 0 and looked.total < _OWN_SHARE * looked.brought:
        return Cause(CARRIED, float(looked.at[looked.marks.start]), {"arrives_kmh": looked.arrives_kmh})
    if looked.total <= 0:
        return None
    if looked.brakes_for_the_next():
        return Cause(FORESTALLED, float(looked.at[looked.begins]))
    found = [cause for look in _LOOKS for cause in look(looked)]
    explaining = [cause for cause in found if looked.lost_from(cause.at_m) >= EXPLAINS]
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


def _braking(looked: Pass) -> Iterator[Cause]:
    """Too early or too late, beyond what the own minimum speed needs."""
    compared, index = looked.comparison, looked.index
    shift, needed = float(compared.brake_shift_m[index]), float(compared.brake_needed_m[index])
    if looked.marks.brake is None or not np.isfinite(shift):
        return
    level_at = float(looked.at[looked.marks.brake])
    # Late, and off the line at the slowest place: two signs that agree need less of each.
    away = compared.outward_m[index] > max(2 * looked.scatter.outward_m, 0.4)
    sure = SURE * looked.scatter.brake_m
    facts = {"brake_shift_m": shift, "slowest_kmh": float(compared.slowest_kmh[index])}
    sooner = shift + max(0.0, needed) if np.isfinite(needed) else shift
    before_exit = looked.comparison.loss_s[index]
    whole = float(before_exit[looked.stop - 1])
    by_then = float(before_exit[min(looked.marks.leaves, looked.stop - 1)])
    if sooner < -max(sure, 2.5) and whole > 0 and by_then >= 0.4 * whole:
        yield Cause("early-brake", level_at + shift, facts)
    elif (
        shift > max((2 if away else SURE) * looked.scatter.brake_m, 1.2) and looked.lost_where(looked.braked_on()) < 0.4
    ):
        yield Cause("late-brake", level_at, facts)


def _locked(looked: Pass) -> Iterator[Cause]:
    if not looked.has("lock_pct"):
        return
    locked = np.flatnonzero(looked.more("lock_pct", 15.0)[: looked.marks.leaves + 1])
    if len(locked) > 1:
        yield Cause("lock-up", float(looked.at[locked[0]]), {"lock_pct": float(looked.own["lock_pct"][locked].max())})


def _all_at_once(looked: Pass) -> Iterator[Cause]:
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


def _unsettled(looked: Pass, place: int) -> bool:
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


def _too_slow(looked: Pass) -> Iterator[Cause]:
    """Slower than needed by the time the good pass leaves the slowest place, the braking not having begun too soon."""
    compared, index, marks = looked.comparison, looked.index, looked.marks
    lack = -float(compared.slowest_kmh[index])
    low = float(np.nanmin(looked.good["speed_kmh"][marks.slow : marks.leaves + 1]))
    if not lack > max(SURE * looked.scatter.slowest_kmh, 2.0, 0.02 * low):
        return
    there = np.arange(len(looked.at)) <= marks.leaves + 1
    if looked.lost_where(there) >= 0.5:
        yield Cause("over-slow", float(looked.at[looked.begins]), {"slowest_kmh": -lack})


def _sliding(looked: Pass) -> Iterator[Cause]:
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


def _missed(looked: Pass) -> Iterator[Cause]:
    away, further = float(looked.comparison.outward_m[looked.index]), float(looked.comparison.widest_m[looked.index])
    # Who is carried out further and further behind the apex didn't miss it; and a missed apex costs at once.
    at_once = looked.begins < len(looked.at) and looked.at[looked.begins] <= looked.at[looked.marks.leaves] + 9.0
    if away > max(SURE * looked.scatter.outward_m, 0.8) and further < 0.7 * away and at_once:
        yield Cause("missed-apex", float(looked.at[looked.marks.slow]), {"outward_m": away})


def _gear(looked: Pass) -> Iterator[Cause]:
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
        if len(places) > 1 and looked.lost_where(widened(limited, 2)) >= 0.5:
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
    level = looked.own["speed_kmh"][first] > LEVEL_SPEED * looked.good["speed_kmh"][first]
    driven = pulling & (np.arange(len(other)) >= first)
    if (
        len(places) > 2
        and level
        and looked.lost_where(widened(driven, 1)) >= 0.5
        and looked.at[first] <= looked.at[looked.begins] + 10.0
    ):
        near = slice(first, first + 3)
        facts = {
            "gear": float(np.median(looked.own["gear"][near])),
            "good_gear": float(np.median(looked.good["gear"][near])),
        }
        yield Cause("wrong-gear", float(looked.at[first]), facts)


def _throttle(looked: Pass) -> Iterator[Cause]:
    """Picked up too soon and lifted, lifted because the road ends, or picked up too late."""
    marks, step = looked.marks, looked.comparison.step_m
    if not looked.has("throttle_pct") or marks.pick_up is None:
        return
    own, good = looked.own["throttle_pct"], looked.good["throttle_pct"]
    shift = float(looked.comparison.pick_up_shift_m[looked.index])
    sure = max(SURE * looked.scatter.pick_up_m, 4.0)
    less = looked.less("throttle_pct", INPUT_PCT)
    after = np.arange(len(own))
    exits = (after >= min(marks.slow, marks.pick_up)) & (after < looked.stop)
    short = np.flatnonzero(less & exits & (looked.at >= looked.at[min(looked.begins, len(own) - 1)] - 10))
    if not len(short) or looked.lost_where(widened(less & exits, 1)) < 0.5:
        return
    begins = int(short[0])
    facts = {"pick_up_m": shift, "slowest_kmh": float(looked.comparison.slowest_kmh[looked.index])}
    back = max(0, marks.pick_up - round(60 / step))
    had = own[back : begins + 1]
    highest = float(np.nanmax(own[min(begins, marks.pick_up) - 1 : begins + 1])) if begins else 0.0
    held = float(np.nanmin(good[marks.slow : (marks.full or marks.slow) + 1]))
    lowest = float(np.nanmin(own[begins : min(looked.stop, begins + max(3, round(45 / step)))]))
    early = (
        (own > good + INPUT_PCT)
        & (after >= marks.slow - round(25 / step))
        & (after <= marks.pick_up + 1)
        & _foot_off(looked)
    )
    if early.sum() >= 2 and shift < -min(sure, 5.0) and np.nanmax(own[early]) - lowest > INPUT_PCT:
        yield Cause("early-throttle", float(looked.at[np.flatnonzero(early)[0]]), facts)
        return
    wide = float(looked.comparison.widest_m[looked.index])
    picked = abs(shift) <= sure and highest > held + 0.7 * RISE_PCT
    if picked and np.isfinite(wide) and wide > max(SURE * looked.scatter.widest_m, 0.7):
        yield Cause("wide-exit", float(looked.at[begins]), {**facts, "widest_m": wide})
    elif shift > sure or (shift > 0.5 * sure and len(had) and highest <= held + INPUT_PCT):
        yield Cause("late-throttle", float(looked.at[min(begins, marks.pick_up)]), facts)


def _foot_off(looked: Pass) -> NDArray[np.bool_]:
    """Places from which on the throttle was closed for the corner: what is open before belongs to the way there."""
    own = looked.own["throttle_pct"]
    first = max(0, looked.marks.brake if looked.marks.brake is not None else looked.marks.start)
    closed = np.zeros(len(own), dtype=bool)
    closed[first:] = np.logical_or.accumulate(own[first:] < 10.0)
    return closed


_LOOKS: Final[tuple[Callable[[Pass], Iterator[Cause]], ...]] = (
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
