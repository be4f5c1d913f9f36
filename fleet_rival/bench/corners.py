"""`./fleet bench --truth`: slips, kinds and recurring mistakes of simulated drivers whose weaknesses are known."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Final

import numpy as np

from fleet_rival.core.analysis import analyse
from fleet_rival.core.clinics import clinics_of, curves_by_driver
from fleet_rival.core.laps.lap import Identity, Lap
from fleet_rival.core.settings import Settings
from fleet_rival.core.telemetry.curves import LapCurves, curves_of
from fleet_rival.core.track import Track
from fleet_rival.simulator.car import CarModel
from fleet_rival.simulator.drivers import DriverModel, Habit
from fleet_rival.simulator.driving import Stint, drive_lap
from fleet_rival.simulator.places import CARS, PLACES
from fleet_rival.simulator.practice import Run, SessionPlan, survey
from fleet_rival.simulator.road import Road, lay_out
from fleet_rival.simulator.stints import drive_stint

__all__ = ["Corners", "corners_found", "corners_table", "road_of"]

_ENTRY: Final = ("early-brake", "over-slow")
_WAITS: Final = ("late-brake", "lock-up")
"""Begun at the entry, paid at the exit. Brake, wheel and gear at once isn't among them: the simulator's cars don't
lose speed by sliding.
"""
_EXIT: Final = ("missed-apex", "late-throttle", "early-throttle", "slide", "wide-exit", "wrong-gear", "limiter")
_ROOM_M: Final = 90.0
_TYPES: Final = {"calm": (0.0025, 0.002), "usual": (0.0045, 0.006), "loose": (0.0075, 0.012)}
"""How far segments scatter, and how often a driver spins."""
_RATES: Final = (10.0, 25.0, 60.0)
_CLEAR_US: Final = 150_000
_DEAR_US: Final = 50_000
PutIn = dict[Identity, list[tuple[str, str, int]]]
"""By lap: corner, kind and loss in microseconds of each slip."""
_START: Final = datetime(2031, 4, 8, 18, tzinfo=UTC)


@dataclass
class Corners:
    """What was found of some sets."""

    kind: str
    sets: int = 0
    hits: int = 0
    misses: int = 0
    false: int = 0
    right: int = 0
    habits: int = 0
    missing: int = 0
    invented: int = 0
    """Recurring ones that cost `_DEAR_US` a lap and that nobody has."""
    taken_for: Counter[tuple[str, str]] = field(default_factory=Counter)

    @property
    def recall(self) -> float:
        return self.hits / max(1, self.hits + self.misses)

    @property
    def precision(self) -> float:
        return self.hits / max(1, self.hits + self.false)

    @property
    def kinds_right(self) -> float:
        return self.right / max(1, self.hits)


def corners_found(seeds: int, seed: int) -> list[Corners]:
    """Let drivers of several types drive on a street, hills and an oval, at several sampling rates; some without any
    habit.

    Args:
        seeds: how many sets of two drivers each.
    """
    out = {name: Corners(name) for name in (*_TYPES, "without habits", "all together")}
    roads = [road_of(kind) for kind in ("harbour", "cinder", "harbour")]
    for number in range(seeds):
        rng = np.random.default_rng([seed, number])
        road, car, track = roads[number % len(roads)]
        kind = list(_TYPES)[number % len(_TYPES)]
        plain = number % 2 == 1
        one = _set(road, car, track, kind, _RATES[number % len(_RATES)], rng, plain=plain)
        for name in ("without habits" if plain else kind, "all together"):
            _add(out[name], one)
    return [item for item in out.values() if item.sets]


def road_of(kind: str) -> tuple[Road, CarModel, Track]:
    """A place of the simulator, a car for it, and the track as it would be surveyed."""
    place, car = PLACES[kind][0], CARS[kind][0]
    road = lay_out(place.pieces)
    return road, car, survey(road, car, place.track, place.layout, place.kind, place.sector_corners)


def _possible(road: Road, car: CarModel, track: Track) -> dict[str, list[str]]:
    """Which kinds can happen at which corners, so that they show there: who doesn't brake can't brake too late, and
    what goes wrong at the exit of a corner that is followed by the next one at once is lost in that one."""
    speed = drive_lap(road, car, track, Stint(0.97)).speed_ms
    ends = {part.code: part.end_m for part in track.segment_parts}
    out = {}
    for corner in track.corners:
        inside = speed[round(corner.start_m) : round(corner.end_m)]
        room, brakes = ends[corner.code] - corner.end_m >= _ROOM_M, inside[0] > 1.25 * inside.min()
        kinds = [*(_EXIT if room else ()), *(_ENTRY if brakes else ()), *(_WAITS if room and brakes else ())]
        if kinds:
            out[corner.code] = kinds
    return out


def _set(
    road: Road, car: CarModel, track: Track, kind: str, rate_hz: float, rng: np.random.Generator, *, plain: bool
) -> Corners:
    """Two drivers' practice, looked through and held against what was put in."""
    scatter, spins = _TYPES[kind]
    possible = _possible(road, car, track)
    codes = sorted(possible)
    laps: list[Lap] = []
    curves: dict[Identity, LapCurves] = {}
    put_in: PutIn = {}
    models = []
    for number in range(2):
        corners = rng.choice(codes, size=min(2, len(codes)), replace=False)
        habits = tuple(
            Habit(code, str(rng.choice(possible[code])), float(rng.uniform(0.15, 0.4)), float(rng.uniform(0.2, 0.5)))
            for code in map(str, corners)
        )
        model = DriverModel(
            f"Driver {number + 1}",
            float(rng.uniform(0.95, 0.985)),
            scatter,
            0.012,
            0.8,
            0.5,
            () if plain else habits,
            (),
            0.01,
            spins,
        )
        models.append(model)
        for session in range(2):
            moment = _START + timedelta(days=session, hours=2 * number)
            plan = SessionPlan(
                str(session + 1),
                moment,
                (Run("long", 11), Run("long", 11)),
                20.0,
                15.0,
                "dry",
                "street",
                moment.replace(tzinfo=None),
            )
            first = 1
            for run in range(2):
                for item in drive_stint(
                    model, road, car, track, plan, run, first, moment, rng, model.learning_s * 0.5**session
                ):
                    laps.append(item.lap)
                    key = item.lap.identity
                    put_in[key] = [
                        (slip.corner, slip.kind, loss)
                        for slip, loss in zip(item.driven.stint.slips, item.driven.losses_us, strict=True)
                    ]
                    if (made := curves_of(track.length_m, item.trace(rate_hz))) is not None:
                        curves[key] = made
                    first += 1
                moment += timedelta(minutes=40)
    return _held(track, laps, curves, put_in, models)


def _held(
    track: Track,
    laps: Sequence[Lap],
    curves: dict[Identity, LapCurves],
    put_in: dict[Identity, list[tuple[str, str, int]]],
    models: Sequence[DriverModel],
) -> Corners:
    settings = Settings(bootstrap_resamples=0)
    analysis = analyse(track, laps, settings)
    clinics = clinics_of(track, analysis, curves_by_driver(analysis, curves), settings)
    out = Corners("", sets=1)
    for model in models:
        driver, clinic = analysis.drivers[model.name], clinics[model.name].main
        told = {(driver.laps[slip.lap].lap.identity, slip.cause_corner): slip for slip in (*clinic.slips, *clinic.cold)}
        passes = {
            code: {driver.laps[index].lap.identity for index in figures.passes}
            for code, figures in clinic.parts.items()
        }
        true = {
            (key, corner): (kind, loss)
            for key, slips in put_in.items()
            if key.driver == model.name
            for corner, kind, loss in slips
            if key in passes.get(corner, ())
        }
        for (key, corner), (kind, loss) in true.items():
            if loss < _CLEAR_US:
                continue
            if (slip := told.get((key, corner))) is None:
                out.misses += 1
                continue
            out.hits += 1
            out.right += slip.kind == kind
            if slip.kind != kind:
                out.taken_for[kind, slip.kind] += 1
        near = {(key, corner) for key, slips in put_in.items() for corner, _, _ in slips}
        out.false += sum(
            key not in near and slip.loss_us >= _CLEAR_US and driver.laps[slip.lap].has_passes
            for key, slip in told.items()
        )
        habits = {(habit.corner, habit.kind) for habit in model.habits}
        cost: Counter[tuple[str, str]] = Counter()
        for (_, corner), (kind, loss) in true.items():
            cost[corner, kind] += loss
        listed = {(item.corner, item.kind) for item in clinic.recurring}
        for habit in habits:
            count = len(passes.get(habit[0], ()))
            if count and cost[habit] / count >= _DEAR_US:
                out.habits += 1
                out.missing += habit not in listed
        out.invented += sum(
            (item.corner, item.kind) not in habits and item.cost_us >= _DEAR_US for item in clinic.recurring
        )
    return out


def _add(total: Corners, one: Corners) -> None:
    for name in ("sets", "hits", "misses", "false", "right", "habits", "missing", "invented"):
        setattr(total, name, getattr(total, name) + getattr(one, name))
    total.taken_for += one.taken_for


def corners_table(found: Sequence[Corners]) -> str:
    """What was found, as tables."""
    lines = [
        (
            "| slips of 0.15 s and more | sets | put in | recall | precision | kind right | habits of 0.05 s a lap | "
            "of them missing | false ones |"
        ),
        "|---|---|---|---|---|---|---|---|---|",
    ]
    for row in found:
        aims = (" (aim ≥ 90 %)", " (aim ≥ 90 %)", " (aim ≥ 85 %)") if row.kind == "all together" else ("", "", "")
        shares = [
            f"{share:.1%}{aim}" for share, aim in zip((row.recall, row.precision, row.kinds_right), aims, strict=True)
        ]
        if not row.hits + row.misses:
            shares = ["–"] * 3
        lines.append(
            f"| {row.kind} | {row.sets} | {row.hits + row.misses} | {' | '.join(shares)} | {row.habits} | "
            f"{row.missing} | {row.invented} |"
        )
    worst = next((row.taken_for for row in found if row.kind == "all together"), Counter())
    if worst:
        told = ", ".join(f"{kind} for {other} ({count})" for (kind, other), count in worst.most_common(6))
        lines += ["", f"Taken for another kind: {told}."]
    return "\n".join(lines) + "\n"
