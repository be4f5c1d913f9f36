"""Passes laid over a good one at equal distance: what was done otherwise, where it began, and where the speed went.

Speed that is missing at a place was lost before it: half the difference of the squared speeds is what the car lacks in
    energy, and its rise from one
metre to the next says where it was lost, however long it is dragged along afterwards. What the driver did with brake,
throttle, wheel and gear
at those metres is the cause.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.settings import Settings
from fleet_rival.core.telemetry.curves import LapCurves
from fleet_rival.core.track import Track

__all__ = ["RISE_PCT", "Comparison", "Marks", "Road", "compare", "road_of"]

Row = NDArray[np.float64]
Rows = NDArray[np.float64]
Numbers = NDArray[np.intp]

_BACK_M: Final = 90.0
"""Who brakes too soon does it before the segment begins."""
_SOONER_M: Final = 45.0
"""Segments begin where braking does, give or take: a good pass that brakes further ahead brakes for the corner
before.
"""
_BEYOND_M: Final = 60.0
"""Who is carried wide is so behind the corner's end."""
_LEVEL: Final = 0.15
"""Braking is placed where this share of the speed that will be braked away is gone: a steep stretch, which even ten
samples a second place to the metre, while the first touch of the pedal lies anywhere between two of them."""
_SLOW: Final = 1.01
"""As slow as the slowest place: within one per cent."""
_BRAKES_PCT: Final = 20.0
"""A good pass that never brakes harder has no braking place."""
RISE_PCT: Final = 20.0
"""Throttle above what was held in the corner from which on it is picked up: more than a foot that balances the car
moves.
"""


@dataclass(frozen=True, slots=True)
class Road:
    """A corner's stretch of road.

    Attributes:
        start_m, end_m: of the segment.
        corner_end_m: where the bend ends; the segment's own end where no corner is known.
        outside: +1 where the outside lies to the right, −1 to the left, 0 unknown.
    """

    code: str
    start_m: float
    end_m: float
    corner_end_m: float
    outside: int


@dataclass(frozen=True, slots=True)
class Marks:
    """Places of the good pass, as positions on the stretch: how a corner falls into approach, entry, middle and exit.

    Attributes:
        start: where the segment begins.
        brake: where it brakes; None where it doesn't.
        slow, leaves: first and last place that is as slow as the slowest.
        pick_up, full: where the throttle rises, and where it is full; None without the channel.
    """

    start: int
    brake: int | None
    slow: int
    leaves: int
    pick_up: int | None
    full: int | None


@dataclass(frozen=True, slots=True, eq=False)
class Comparison:
    """Some passes over a good one.

    Attributes:
        at_m: places, shape (points,).
        good: median good pass: channel to shape (points,).
        passes: channel to shape (passes, points).
        loss_s: time lost since the segment began, shape (passes, points).
        lost: energy lost at each metre, (km/h)² a point, never negative, shape (passes, points).
        brake_shift_m: how much later than the good pass each one braked; NaN where it can't be told.
        brake_needed_m: how much sooner its own minimum speed would have needed it.
        pick_up_shift_m: how much later than the good pass the throttle rose.
        slowest_kmh, outward_m: minimum speed in the corner over the good one's; offset to the outside at the slowest
            place beyond that while braking.
        widest_m: how far it is carried outward from there on, beyond the good pass.
    """

    road: Road
    step_m: float
    at_m: Row
    good: Mapping[str, Row]
    passes: Mapping[str, Rows]
    marks: Marks
    loss_s: Rows
    lost: Rows
    brake_shift_m: Row
    brake_needed_m: Row
    pick_up_shift_m: Row
    slowest_kmh: Row
    outward_m: Row
    widest_m: Row
    usable: NDArray[np.bool_]
    """Passes whose speed and time are known throughout the segment."""


def road_of(track: Track, code: str) -> Road:
    """The road of a segment, or of a sector where no corner is known there."""
    part = next(item for item in (*track.segment_parts, *track.sector_parts) if item.code == code)
    corner = next((item for item in track.corners if item.code == code), None)
    if corner is None:
        return Road(code, part.start_m, part.end_m, part.end_m, 0)
    end = corner.end_m if part.start_m < corner.end_m <= part.end_m else part.end_m
    return Road(code, part.start_m, part.end_m, end, {"left": 1, "right": -1}.get(corner.direction or "", 0))


def compare(
    road: Road,
    curves: Sequence[LapCurves],
    good: Sequence[int],
    settings: Settings,
    model: Mapping[str, Row] | None = None,
) -> Comparison | None:
    """Lay passes over a good one.

    Args:
        curves: laps of one layout, at the same places.
        good: positions in `curves` of the good passes.
        model: instead of `good`, a median pass that was made before, of the same places.

    Returns:
        None where no good pass is known throughout.
    """
    step = curves[0].step_m
    first = max(0, int((road.start_m - _BACK_M) / step))
    last = min(*(len(item) for item in curves), int(np.ceil((road.end_m + _BEYOND_M) / step)))
    names = sorted({name for item in curves for name in item.channels})
    passes = {name: _stacked(curves, name, slice(first, last)) for name in names}
    at: Row = np.arange(first, last, dtype=np.float64) * step
    start, stop = int(np.searchsorted(at, road.start_m)), int(np.searchsorted(at, road.end_m))
    if stop - start < 4 or "speed_kmh" not in passes:
        return None
    time, speed = passes["time_s"], passes["speed_kmh"]
    usable: NDArray[np.bool_] = np.asarray(
        np.isfinite(time[:, start:stop] + speed[:, start:stop]).all(axis=1), dtype=bool
    )
    passes["time_s"] = time - time[:, [start]]
    if model is None:
        chosen = [index for index in good if usable[index]]
        if not chosen:
            return None
        model = {name: _median(values[chosen]) for name, values in passes.items()}
    elif any(len(values) != len(at) for values in model.values()):
        return None
    # What isn't known throughout of the good pass can't be held against any.
    model = {name: values for name, values in model.items() if np.isfinite(values[start:stop]).all()}
    if "speed_kmh" not in model or "time_s" not in model:
        return None
    marks = _marks(road, model, at, start, stop, settings)
    level = _level(model, marks, at)
    lost = _lost(passes["speed_kmh"], model["speed_kmh"])
    shift, needed = _braking(passes, model, marks, level, at)
    # By the time that the good pass leaves its slowest place: what is slower later was lost later.
    corner = slice(start, marks.leaves + 2)
    lowest = np.fmin.reduce(passes["speed_kmh"][:, corner], axis=1) - np.fmin.reduce(model["speed_kmh"][corner])
    away, widest = _ran_wide(_outward(road, passes, model), marks, start, stop, len(curves))
    return Comparison(
        road=road,
        step_m=step,
        at_m=at,
        good=model,
        passes=passes,
        marks=marks,
        loss_s=passes["time_s"] - model["time_s"],
        lost=lost,
        brake_shift_m=shift,
        brake_needed_m=needed,
        pick_up_shift_m=_pick_up_shift(passes, model, marks, at),
        slowest_kmh=lowest,
        outward_m=away,
        widest_m=widest,
        usable=usable,
    )


def _stacked(curves: Sequence[LapCurves], name: str, where: slice) -> Rows:
    """A channel of all laps, each in a row; unknown where a lap hasn't it."""
    unknown = np.full(where.stop - where.start, np.nan, dtype=np.float32)
    rows = [item.channels[name][where] if name in item.channels else unknown for item in curves]
    return np.stack(rows).astype(np.float64)


def _ran_wide(outward: Rows | None, marks: Marks, start: int, stop: int, count: int) -> tuple[Row, Row]:
    """How much further out each pass went than the good one: to the end of the corner, and behind it.

    Args:
        outward: in m, by pass and place; None where no place is known.
        start, stop: of the part, in places.
        count: of passes.
    """
    if outward is None:
        nothing: Row = np.full(count, np.nan)
        return nothing, nothing
    before = marks.brake if marks.brake is not None else start
    away = np.fmax.reduce(outward[:, marks.slow : marks.leaves + 1], axis=1) - outward[:, before]
    return away, np.fmax.reduce(outward[:, marks.leaves : stop], axis=1) - outward[:, marks.leaves]


def _median(rows: Rows) -> Row:
    known = np.isfinite(rows).any(axis=0)
    out = np.full(rows.shape[1], np.nan)
    out[known] = np.nanmedian(rows[:, known], axis=0)
    return out


def _marks(road: Road, good: Mapping[str, Row], at: Row, start: int, stop: int, settings: Settings) -> Marks:
    speed = good["speed_kmh"]
    bend = max(start + 1, min(stop, int(np.searchsorted(at, road.corner_end_m)) + 1))
    slowest = float(np.nanmin(speed[start:bend]))
    slow = np.flatnonzero(speed[start:bend] <= _SLOW * slowest) + start
    entered, leaves = int(slow[0]), int(slow[-1])
    # A corner that is left by one as slow, or entered from one, has a slow place at its edge: what belongs together
    # ends where the speed rises.
    brake = None
    if "brake_pct" in good:
        pressed = np.flatnonzero(good["brake_pct"][: leaves + 1] > settings.brake_on_pct)
        # Before the segment lies the corner before: its braking is none for this one.
        pressed = pressed[at[pressed] >= road.start_m - _SOONER_M]
        if len(pressed) and np.nanmax(good["brake_pct"][: leaves + 1]) > _BRAKES_PCT:
            # The last time that it is pressed before the slowest place: earlier ones belong to the corner before.
            gaps = np.flatnonzero(np.diff(pressed) > max(2, round(25 / (at[1] - at[0]))))
            brake = int(pressed[gaps[-1] + 1] if len(gaps) else pressed[0])
            if (
                brake > leaves
                or np.nanmax(good["brake_pct"][max(brake, start) : leaves + 1], initial=0.0) <= _BRAKES_PCT
            ):
                brake = None
    pick_up = full = None
    if "throttle_pct" in good:
        throttle = good["throttle_pct"]
        most = float(np.nanmax(throttle[leaves:stop])) if leaves < stop else 0.0
        opened = np.flatnonzero(throttle[leaves:stop] >= 0.9 * most) + leaves
        if most > RISE_PCT and len(opened):
            full = int(opened[0])
            held = float(np.nanmin(throttle[entered : full + 1]))
            below = np.flatnonzero(throttle[entered : full + 1] <= held + RISE_PCT) + entered
            pick_up = min(int(below[-1]) + 1, full) if len(below) else entered
    return Marks(start, brake, entered, leaves, pick_up, full)


def _level(good: Mapping[str, Row], marks: Marks, at: Row) -> float | None:
    """The speed at which braking is placed."""
    if marks.brake is None:
        return None
    speed = good["speed_kmh"]
    around = max(0, marks.brake - 3)
    top, low = float(np.nanmax(speed[around : marks.slow + 1])), float(speed[marks.slow])
    return top - _LEVEL * (top - low) if top > 1.05 * low else None


def _braking(
    passes: Mapping[str, Rows], good: Mapping[str, Row], marks: Marks, level: float | None, at: Row
) -> tuple[Row, Row]:
    """How much later each pass braked, and how much sooner its minimum speed would have needed it: metres, NaN where
    it can't be told.
    """
    speed = passes["speed_kmh"]
    nothing = np.full(len(speed), np.nan)
    if level is None:
        return nothing, nothing
    until = marks.leaves + 1
    own = _falls_below(good["speed_kmh"][None, :until], level, at)
    shift = _falls_below(speed[:, :until], level, at) - own
    # Who brakes before the level was ever reached: by the pedal.
    first = max(0, marks.brake - round(_BACK_M / (at[1] - at[0])))
    pressed = passes["brake_pct"][:, first:until] > _BRAKES_PCT
    touched = np.where(pressed.any(axis=1), at[first + np.argmax(pressed, axis=1)] - at[marks.brake], np.nan)
    shift = np.where(np.isnan(shift) & (touched < 0), touched, shift)
    # How the good pass slows, in (km/h)² a metre.
    low = float(good["speed_kmh"][marks.slow])
    way = float(at[marks.slow] - own[0])
    rate = (level**2 - low**2) / (2 * way) if way > 0 else np.nan
    lowest = np.fmin.reduce(speed[:, marks.start : marks.leaves + 1], axis=1)
    return shift, (low**2 - lowest**2) / (2 * rate)


def _falls_below(speed: Rows, level: float, at: Row) -> Row:
    """The last place at which each row comes down through the level; NaN where it doesn't."""
    above = speed > level
    falls = above[:, :-1] & (speed[:, 1:] <= level)
    out = np.full(len(speed), np.nan)
    rows = np.flatnonzero(falls.any(axis=1))
    last = falls.shape[1] - 1 - np.argmax(falls[rows, ::-1], axis=1)
    before, after = speed[rows, last], speed[rows, last + 1]
    out[rows] = at[last] + (at[1] - at[0]) * (before - level) / np.maximum(before - after, 1e-9)
    return out


def _pick_up_shift(passes: Mapping[str, Rows], good: Mapping[str, Row], marks: Marks, at: Row) -> Row:
    """How much later the throttle rose than on the good pass, in metres; what never rose again is late by all that
    was left.
    """
    count = len(passes["speed_kmh"])
    if marks.pick_up is None or marks.full is None or "throttle_pct" not in passes:
        return np.full(count, np.nan)
    throttle = passes["throttle_pct"]
    held = float(np.nanmin(good["throttle_pct"][marks.slow : marks.full + 1]))
    # From where the foot is off for this corner: before it the throttle belongs to the way there.
    begin = marks.slow
    for place in range(marks.pick_up, max(marks.start - 1, 0), -1):
        if good["throttle_pct"][place] > held + RISE_PCT and place < marks.slow:
            begin = place + 1
            break
        begin = place
    begin = min(begin, marks.pick_up)
    open_now = throttle[:, begin:] > held + RISE_PCT
    # A blip of a single point is none, and neither is what is left from before.
    lasting = open_now[:, :-1] & open_now[:, 1:]
    closed = np.logical_or.accumulate(~open_now[:, :-1], axis=1)
    risen = lasting & closed
    at_once = open_now[:, :-1].all(axis=1)
    found = np.where(risen.any(axis=1), np.argmax(risen, axis=1), lasting.shape[1])
    found = np.where(at_once, 0, found)
    out = at[np.minimum(begin + found, len(at) - 1)] - at[marks.pick_up]
    return np.where(np.isfinite(throttle[:, marks.pick_up]), out, np.nan)


def _outward(road: Road, passes: Mapping[str, Rows], good: Mapping[str, Row]) -> Rows | None:
    if "offset_m" not in passes or not road.outside:
        return None
    return road.outside * (passes["offset_m"] - good["offset_m"])


def _lost(speed: Rows, good: Row) -> Rows:
    """Energy lost at each metre: where what the car lacks grows, however much of it comes back later."""
    lack = (good**2 - speed**2) / 2
    # Five points smooth what lies between two samples of a slow recorder.
    padded = np.pad(lack, ((0, 0), (2, 2)), mode="edge")
    smooth = np.mean([padded[:, by : by + lack.shape[1]] for by in range(5)], axis=0)
    rise = np.diff(smooth, axis=1, prepend=smooth[:, :1])
    return np.where(np.isfinite(rise), np.maximum(rise, 0.0), 0.0)
