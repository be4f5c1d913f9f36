"""A corner driven by plain kinematics, nothing to do with the product's own simulator: for kinds of mistakes whose
cause is known.
"""

from dataclasses import dataclass, replace

import numpy as np

from fleet_rival.core.telemetry.trace import Trace
from fleet_rival.core.track import Corner, Sector, Track

LAYOUT = Track(
    name="Quernholm",
    layout="Long",
    kind="road",
    length_m=1400.0,
    sectors=(Sector("S1", 0.0), Sector("S2", 700.0)),
    corners=(
        Corner("T1", 330.0, 500.0, 560.0, direction="left"),
        Corner("T2", 960.0, 1130.0, 1190.0, direction="right"),
    ),
)


@dataclass(frozen=True)
class Way:
    """How one corner is driven: places in metres behind its apex, speeds in m/s.

    Attributes:
        brake: where the brakes come on; `decel`: how hard.
        slow: speed in the corner, held until `pick_up`.
        lift: from where to where the throttle is taken back after the pick-up, and to what.
        pull: share of the engine's pull that arrives, from the apex on.
        wide: metres further out behind the corner; `away`: at the apex.
    """

    brake: float = -135.0
    decel: float = 11.0
    slow: float = 22.0
    pick_up: float = 12.0
    lift: tuple[float, float, float] | None = None
    pull: float = 1.0
    gear: int = 0
    limited: float = 0.0
    wide: float = 0.0
    away: float = 0.0
    lock: float = 0.0
    shaken: bool = False
    against: bool = False


GOOD = Way()


def drive(ways: dict[str, Way], rate_hz: float, number: int = 1, run: int = 1, missing: tuple[str, ...] = ()) -> Trace:
    """A lap with each corner driven its way, as a recorder writes it."""
    step = 0.5
    at = np.arange(0.0, LAYOUT.length_m, step)
    speed = np.empty(len(at))
    rows = {
        name: np.zeros(len(at))
        for name in ("throttle_pct", "brake_pct", "steering_deg", "gear", "rpm", "offset_m", "lock_pct")
    }
    v = 48.0
    corners = [(corner, ways.get(corner.code, GOOD)) for corner in LAYOUT.corners]
    held = 0.0
    for index, place in enumerate(at):
        corner, way = next(((c, w) for c, w in corners if place < c.apex_m + 300), corners[-1])
        where = place - corner.apex_m
        throttle, brake, steer, gear_off, rpm_full = 100.0, 0.0, 0.0, 0, False
        side = 1.0 if corner.direction == "left" else -1.0
        turning = -60 <= where <= 60
        if way.brake <= where < way.pick_up:
            throttle = 0.0
            if v > way.slow:
                brake = 6.0 * way.decel
        if turning:
            steer = -side * 50.0 * (1 - abs(where) / 60) ** 0.5
        if way.lift and way.lift[0] <= where < way.lift[1]:
            throttle = way.lift[2]
        if way.shaken and -40 <= where < -20 and brake:
            gear_off, rpm_full = -2, True
        if way.shaken and -20 <= where < 20:
            throttle, steer = 0.0, (-steer if where < 0 else steer)
        if way.against and 10 <= where < 40:
            throttle, steer = 10.0, -steer
        if way.gear and where >= -5 and where < 160:
            gear_off = way.gear
        push = (throttle / 100) * min(9.0, 260.0 / v) * (way.pull if 0 <= where < 220 else 1.0) - 0.0016 * v * v
        if throttle == 0.0 and not brake and where < way.pick_up:
            push = -1.5 if way.shaken and -20 <= where < 20 else 0.0
        if brake:
            push = -way.decel
        if way.limited and 40 <= where < 40 + way.limited:
            held = held or v
            push, rpm_full = 0.0, True
            v = min(v, held)
        speed[index] = v
        gear = max(1, int(v / 11) + 1 + gear_off)
        rows["throttle_pct"][index], rows["brake_pct"][index], rows["steering_deg"][index] = throttle, brake, steer
        rows["gear"][index] = gear
        rows["rpm"][index] = 8000.0 if rpm_full else min(7600.0, 3000 + 4500 * (v / 11 % 1))
        apex = np.exp(-((where / 40) ** 2))
        exit_way = np.exp(-(((where - 90) / 45) ** 2))
        rows["offset_m"][index] = side * (-3.0 * apex + way.away * apex + way.wide * exit_way)
        rows["lock_pct"][index] = way.lock if brake and v < 44 else 0.0
        floor = way.slow if brake else 3.0
        v = max(floor if v > floor else v, np.sqrt(max(v * v + 2 * push * step, 9.0)))
        if brake and v < way.slow:
            v = way.slow
    took = np.concatenate([[0.0], np.cumsum(2 * step / (speed[1:] + speed[:-1]))])
    beats = np.arange(0.0, took[-1], 1 / rate_hz)
    where_at = np.interp(beats, took, at)
    index = np.clip(np.searchsorted(at, where_at, side="right") - 1, 0, len(at) - 1)
    channels = {name: values[index] for name, values in rows.items() if name not in missing}
    channels |= {"time_s": beats, "distance_m": where_at, "speed_kmh": np.interp(where_at, at, speed) * 3.6}
    return Trace("Ysolde Farrand", "1", run, number, channels)


def ordinary(rng: np.random.Generator) -> dict[str, Way]:
    """A lap without a mistake: nobody brakes or turns at the same inch twice."""
    return {
        corner.code: replace(
            GOOD,
            brake=GOOD.brake + rng.normal(0, 0.6),
            slow=GOOD.slow + rng.normal(0, 0.12),
            pick_up=GOOD.pick_up + rng.normal(0, 0.8),
            away=rng.normal(0, 0.1),
            wide=rng.normal(0, 0.1),
        )
        for corner in LAYOUT.corners
    }
