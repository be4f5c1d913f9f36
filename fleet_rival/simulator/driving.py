"""A lap driven metre by metre: what the car could do, what the driver made of it, and every channel that a rig would
record.

Between two metres the acceleration is constant, so that the moment at any place, and the place at any moment, are
    exact: they are the truth
that measured times are held against.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Final

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter1d

from fleet_rival.core.track import Track
from fleet_rival.simulator.car import CarModel
from fleet_rival.simulator.profiles import SLOWEST_MS, Limits, Metres, Profile, in_the_way, profile_of, took
from fleet_rival.simulator.road import Road

__all__ = ["DrivenLap", "Slip", "Stint", "drive_lap"]


_PIT_AWAY_M: Final = 14.0
_PIT_RAMP_M: Final = 45.0
_BEFORE_LIMITER_M: Final = 25.0
"""From where a corner is left to where the next gear is due."""
_GEARS: Final = 6
_TRIES: Final = 9
_RATIO: Final = 14.0
"""Degrees at the wheel for one at the tyres."""


@dataclass(frozen=True, slots=True)
class Slip:
    """Something done otherwise than meant: at a corner, of a kind, costing about `loss_s`."""

    corner: str
    kind: str
    loss_s: float


@dataclass(frozen=True, slots=True)
class Stint:
    """How a lap is driven.

    Attributes:
        grip: share of the car's grip that is used, tyres and weather in it.
        segment_grip: what each segment's own scatter does to that.
        slips: what goes wrong.
        entry_ms: speed over the line.
        pit: `out`, `in` or None.
        behind_at: places from 0 to 1 of the lap at which another car is in the way.
        tow_at: places at which another car's slipstream helps.
        wander: seed of the line that nobody drives twice.
    """

    grip: float
    segment_grip: Mapping[str, float] = field(default_factory=dict)
    slips: tuple[Slip, ...] = ()
    entry_ms: float | None = None
    pit: str | None = None
    behind_at: tuple[float, ...] = ()
    tow_at: tuple[float, ...] = ()
    wander: int = 0


@dataclass(frozen=True, slots=True, eq=False)
class DrivenLap:
    """A lap at each metre.

    Attributes:
        distance_m, time_s, speed_ms: shape (metres + 1,).
        losses_us: what each slip cost over the whole lap, in the order of the stint's.
    """

    road: Road
    car: CarModel
    stint: Stint
    distance_m: Metres
    time_s: Metres
    speed_ms: Metres
    offset_m: Metres
    effects: Mapping[str, Metres]
    losses_us: tuple[int, ...]

    @property
    def end_ms(self) -> float:
        return float(self.speed_ms[-1])

    def moments(self, places: Sequence[float] | Metres) -> Metres:
        """Seconds since the start of the lap at which the car came to each place; exact."""
        at = np.asarray(places, dtype=float)
        index = np.clip(np.searchsorted(self.distance_m, at, side="right") - 1, 0, len(self.distance_m) - 2)
        gone = at - self.distance_m[index]
        speed, push = self.speed_ms[index], self._push(index)
        return np.asarray(
            self.time_s[index] + 2 * gone / (speed + np.sqrt(np.maximum(speed * speed + 2 * push * gone, 0.0)))
        )

    def samples(self, rate_hz: float, *, clock_decimals: int = 3) -> dict[str, Metres]:
        """Channels as a recorder writes them: even beats, rounded as such files are."""
        time = np.arange(0.0, float(self.time_s[-1]), 1 / rate_hz)
        index = np.clip(np.searchsorted(self.time_s, time, side="right") - 1, 0, len(self.time_s) - 2)
        since = time - self.time_s[index]
        push = self._push(index)
        speed = self.speed_ms[index] + push * since
        distance = self.distance_m[index] + self.speed_ms[index] * since + push * since * since / 2
        out = self._channels(distance, speed, push)
        return {"time_s": np.round(time, clock_decimals), "distance_m": np.round(distance, 3), **out}

    def _push(self, index: NDArray[np.intp]) -> Metres:
        step = self.distance_m[1] - self.distance_m[0]
        return np.asarray((self.speed_ms[index + 1] ** 2 - self.speed_ms[index] ** 2) / (2 * step))

    def _channels(self, distance: Metres, speed: Metres, push: Metres) -> dict[str, Metres]:
        def along(values: Metres) -> Metres:
            return np.interp(distance, self.distance_m, values)

        road, car = self.road, self.car
        around = np.append(road.curvature, road.curvature[0])
        bend = along(gaussian_filter1d(around, 3.0, mode="wrap"))
        offset = along(self.offset_m)
        drive = push + car.drag_per_m * speed * speed
        most = car.power_w_per_kg / np.maximum(speed, 5.0)
        throttle = np.clip(np.where(drive > 0.2, drive / most, 0.0), 0, 1) * 100
        throttle = np.where(throttle > 92, 100.0, throttle)
        # With the engine at its limit, or in a gear too high, the foot is down and nothing comes of it.
        in_vain = (along(self.effects["limiter"]) > 0.5) | (along(self.effects["gear"]) > 0.5)
        throttle = np.where(in_vain & (drive > -0.2), 100.0, np.minimum(throttle + along(self.effects["foot"]), 100.0))
        brake = np.clip(np.where(drive < -0.8, -drive / car.grip_ms2, 0.0), 0, 1) * 100
        share = np.clip(speed / car.top_speed_ms, 0, 0.999) * _GEARS
        gear = np.clip(np.floor(share) + 1 + np.round(along(self.effects["gear"])), 1, _GEARS)
        heading = np.unwrap(np.arctan2(*np.gradient(np.vstack([road.xy_m, road.xy_m[:1]]), axis=0).T[::-1]))
        turned = along(heading)
        x = along(np.append(road.xy_m[:, 0], road.xy_m[0, 0])) + offset * np.sin(turned)
        y = along(np.append(road.xy_m[:, 1], road.xy_m[0, 1])) - offset * np.cos(turned)
        slide = along(self.effects["slip"])
        return {
            "speed_kmh": np.round(speed * 3.6, 2),
            "throttle_pct": np.round(throttle, 1),
            "brake_pct": np.round(brake, 1),
            "steering_deg": np.round(
                -np.degrees(np.arctan(2.6 * bend))
                * _RATIO
                * (1 - 1.6 * slide / 100 - 1.5 * along(self.effects["against"])),
                1,
            ),
            "gear": gear,
            "rpm": np.round(2800 + 5200 * np.clip(share / gear + along(self.effects["limiter"]), 0, 1), 0),
            "x_m": np.round(x, 2),
            "y_m": np.round(y, 2),
            "offset_m": np.round(offset, 2),
            "yaw_rate_dps": np.round(np.degrees(bend * speed), 3),
            "lock_pct": np.round(along(self.effects["lock"]), 1),
            "slip_pct": np.round(slide, 1),
        }


def drive_lap(road: Road, car: CarModel, track: Track, stint: Stint) -> DrivenLap:
    """Drive one lap.

    Args:
        track: the same road with its corners.
        stint: how it is driven; each slip is made as big as what it shall cost.
    """
    count = len(road.curvature)
    limits = Limits(np.full(count, stint.grip), np.full(count, np.inf), np.ones(count), np.ones(count))
    step = road.length_m / count
    for part in track.segment_parts:
        limits.grip[round(part.start_m / step) : round(part.end_m / step)] *= stint.segment_grip.get(part.code, 1.0)
    limits.grip = gaussian_filter1d(limits.grip, 8.0, mode="wrap")
    for place in stint.behind_at:
        in_the_way(limits, np.asarray(profile_of(road, car, limits, stint.entry_ms).speed), place)
    for place in stint.tow_at:
        first = round(place * count)
        limits.drag[first : first + round(250 / step)] *= 0.72
    offset = _line(road, stint)
    if stint.pit and track.pit:
        _pit(limits, offset, track, step, stint.pit)
    effects = {name: np.zeros(count) for name in ("lock", "slip", "gear", "limiter", "against", "foot")}
    profile = profile_of(road, car, limits, stint.entry_ms)
    losses = []
    speed = np.asarray(profile.speed)
    for slip in stint.slips:
        usual = speed
        profile, lost = _slipped(road, car, track, stint, slip, profile)
        losses.append(lost)
        speed = np.asarray(profile.speed)
        _show(slip, track, step, usual, speed, offset, effects)
    time: Metres = np.concatenate([[0.0], np.cumsum(2 * step / (speed[1:] + speed[:-1]))])
    places: Metres = np.arange(count + 1, dtype=np.float64) * step
    closed = {name: np.append(values, values[0]) for name, values in effects.items()}
    line: Metres = np.append(offset, offset[-1])
    return DrivenLap(road, car, stint, places, time, speed, line, closed, tuple(losses))


def _line(road: Road, stint: Stint) -> Metres:
    """Offset of the line driven: inside at the apex, a little otherwise each time. Left is negative."""
    bend = gaussian_filter1d(road.curvature, 12.0, mode="wrap")
    ideal = -3.2 * np.tanh(bend * 70)
    rng = np.random.default_rng(stint.wander)
    at = np.arange(len(bend)) / len(bend) * 2 * np.pi
    wander = sum(rng.normal(0, 0.16) * np.sin(wave * at + rng.uniform(0, 2 * np.pi)) for wave in (3, 7, 13, 22))
    return np.asarray(ideal + wander)


def _pit(limits: Limits, offset: Metres, track: Track, step: float, which: str) -> None:
    pit = track.pit
    if pit is None:
        return
    away = _PIT_AWAY_M * (-1 if pit.side == "left" else 1)
    at = np.arange(len(offset)) * step
    ramp = (
        np.clip((pit.exit_m - at) / _PIT_RAMP_M, 0, 1)
        if which == "out"
        else np.clip((at - pit.entry_m) / _PIT_RAMP_M, 0, 1)
    )
    offset += ramp * (away - offset)
    lane = at < pit.exit_m if which == "out" else at >= pit.entry_m
    limits.cap[lane] = np.minimum(limits.cap[lane], (pit.limit_kmh or 60.0) / 3.6)


def _slipped(road: Road, car: CarModel, track: Track, stint: Stint, slip: Slip, before: Profile) -> tuple[Profile, int]:
    """The lap with a slip in it, as big as what it shall cost; its limits are those in which a second one finds it."""
    step = road.length_m / len(road.curvature)
    if slip.loss_s <= 0:
        return before, 0
    unspoiled = np.asarray(before.speed)
    least = took(unspoiled, step)
    low, high = 0.0, 1.0
    chosen, lost = before, 0.0
    for _ in range(_TRIES):
        size = (low + high) / 2
        tried = before.limits.copy()
        _spoil(tried, track, step, unspoiled, slip, size)
        chosen = profile_of(road, car, tried, stint.entry_ms, before)
        lost = took(np.asarray(chosen.speed), step) - least
        if lost < slip.loss_s:
            low = size
        else:
            high = size
    return chosen, round(lost * 1e6)


@dataclass(frozen=True, slots=True)
class _Places:
    """Metres of a corner: where it begins, the first and the last that are as slow as the slowest, and where it
    ends.
    """

    begins: int
    entered: int
    leaves: int
    ends: int
    outside: float


def _places(track: Track, step: float, speed: Metres, code: str) -> _Places:
    corner = next(item for item in track.corners if item.code == code)
    begins, ends = round(corner.start_m / step), round(corner.end_m / step)
    ends = max(ends, begins + 2)
    slow = np.flatnonzero(speed[begins:ends] <= 1.01 * speed[begins:ends].min()) + begins
    return _Places(begins, int(slow[0]), int(slow[-1]), ends, 1.0 if corner.direction == "left" else -1.0)


def _spoil(limits: Limits, track: Track, step: float, speed: Metres, slip: Slip, size: float) -> None:
    """What goes wrong, from nothing (0) to more than anybody would do (1)."""
    at = _places(track, step, speed, slip.corner)
    count = len(limits.cap)

    def held(first: int, metres: float, to: float) -> None:
        after = min(count, first + round(metres / step))
        limits.cap[first:after] = np.minimum(limits.cap[first:after], to)

    if slip.kind == "early-brake":
        shift = round(120 * size / step)
        first = max(0, at.begins - shift)
        moved = speed[np.minimum(np.arange(first, at.entered) + shift, at.entered)]
        limits.cap[first : at.entered] = np.minimum(limits.cap[first : at.entered], moved)
    elif slip.kind in ("late-brake", "lock-up"):
        # The way to the corner is driven on: the brakes are asked for more than usual, and the car is wide and has to
        # wait.
        limits.grip[max(0, at.entered - round(90 / step)) : at.entered] *= 1 + 0.25 * min(1.0, 0.4 + size)
        held(at.leaves, 120 * size, speed[at.leaves] * 0.99)
    elif slip.kind in ("late-throttle", "slide", "missed-apex"):
        held(at.leaves, 220 * size, speed[at.leaves] * 1.004)
    elif slip.kind == "double-input":
        held(at.entered, 6 + 60 * size, speed[at.entered] * (1 - 0.3 * size))
    elif slip.kind == "early-throttle":
        held(at.leaves, 90 * size, speed[at.leaves] * (1.01 - 0.3 * size))
    elif slip.kind in ("wide-exit", "kerb"):
        first = min(count - 1, at.leaves + round(14 / step))
        held(first, 120 * size, speed[first] * (1 - 0.3 * size))
    elif slip.kind == "wrong-gear":
        limits.power[at.leaves : min(count, at.leaves + round(160 / step))] *= 1 - 0.9 * size
    elif slip.kind == "limiter":
        first = min(count - 1, at.leaves + round(_BEFORE_LIMITER_M / step))
        held(first, 220 * size, speed[first])
    elif slip.kind in ("spin", "contact"):
        held(at.entered, 5 + 60 * size, SLOWEST_MS + 1)
    else:  # over-slow
        limits.cap[at.entered : at.leaves + 1] = np.minimum(
            limits.cap[at.entered : at.leaves + 1], speed[at.entered] * (1 - 0.6 * size)
        )


def _show(
    slip: Slip, track: Track, step: float, usual: Metres, speed: Metres, offset: Metres, effects: dict[str, Metres]
) -> None:
    """What a slip leaves in the other channels.

    Args:
        usual, speed: without and with it.
    """
    at = _places(track, step, usual, slip.corner)
    place = np.arange(len(offset))
    behind = slip.kind in ("wide-exit", "limits", "early-throttle")
    # Off the line where the corner is tightest, or carried out behind it.
    middle, reach = (
        (at.leaves + round(30 / step), 24.0)
        if behind
        else ((at.entered + at.leaves) / 2, 10.0 + (at.leaves - at.entered) * step / 2)
    )
    hump = np.exp(-(((place - middle) * step / reach) ** 2))
    if slip.kind in ("wide-exit", "limits", "missed-apex", "late-brake", "lock-up", "early-throttle", "kerb"):
        offset += at.outside * hump * {"limits": 3.4, "wide-exit": 2.6, "early-throttle": 1.2}.get(slip.kind, 1.8)
    if slip.kind == "lock-up":
        effects["lock"][max(0, at.begins - round(4 / step)) : at.entered] = 45.0
    elif slip.kind == "double-input":
        # A gear too low while the brake is held and the wheel turned: the engine at its limit, and the wheel let go
        # against the corner.
        effects["gear"][max(0, at.entered - round(18 / step)) : at.entered] = -1.0
        effects["limiter"][max(0, at.entered - round(18 / step)) : at.entered] = 1.0
        effects["against"][at.entered : at.entered + round(12 / step)] = 1.0
    elif slip.kind == "early-throttle":
        effects["foot"][max(at.entered, at.leaves - round(24 / step)) : at.leaves] = 45.0
    elif slip.kind in ("slide", "spin"):
        effects["slip"][at.leaves : at.leaves + round(40 / step)] = 35.0 if slip.kind == "slide" else 90.0
    elif slip.kind == "wrong-gear":
        effects["gear"][at.entered : at.leaves + round(150 / step)] = 1.0
    elif slip.kind == "limiter":
        first = min(len(speed) - 1, at.leaves + round(_BEFORE_LIMITER_M / step))
        beyond = speed[first:] > speed[first] * 1.005
        effects["limiter"][first : first + (int(np.argmax(beyond)) if beyond.any() else 0)] = 1.0
