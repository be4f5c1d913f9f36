"""The race ahead of an entry in figures: qualifying, consumption, stops, limits, the race from own laps."""

from collections import Counter, defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, replace
from datetime import datetime
from fractions import Fraction
from typing import Any, Final
from uuid import UUID

import numpy as np
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.core.analysis import DriverAnalysis, GroupAnalysis
from fleet_rival.core.ideals.best_of import odds_of
from fleet_rival.core.laps.verdict import is_only
from fleet_rival.core.pace.runs import clean_runs
from fleet_rival.core.race.afterwards import Taught, wider
from fleet_rival.core.race.crossing import crossing_time
from fleet_rival.core.race.distance import timed_race
from fleet_rival.core.race.limits import CornerRate, limit_budget
from fleet_rival.core.race.opening import FIRST_LAPS, opening
from fleet_rival.core.race.own_race import RaceLap, places, race_from_laps
from fleet_rival.core.race.stops import CompoundPace
from fleet_rival.core.race.tow import tow_worth
from fleet_rival.core.times import MICROSECONDS
from fleet_rival.services.log.seasons import taught
from fleet_rival.services.race.ahead import Ahead, ahead_of
from fleet_rival.services.race.distance import LEAST_LAPS, consumption_told, not_practised, pit_loss_of, stops_of
from fleet_rival.services.shared.base import Actor
from fleet_rival.wording.missing import MISSING, incidents_missing
from fleet_rival.wording.race import opening_words

__all__ = ["figures_of", "race_view"]

_OUT_LAP: Final = 1.3
_ROUND: Final = 5


def race_view(
    sessions: sessionmaker[Session], actor: Actor, entry_id: UUID, clock: Callable[[], datetime] = now
) -> dict[str, Any]:
    """The race ahead of an entry in figures: what nothing tells of is None, with the reason under `missing`."""
    return figures_of(ahead_of(sessions, actor, entry_id, clock), taught(sessions, actor, clock()))


def figures_of(ahead: Ahead, races: Mapping[str, Taught]) -> dict[str, Any]:
    """The figures of `race_view`.

    Args:
        races: what earlier ones taught, after `services.log.seasons.taught`.
    """
    found, facts = ahead.found, ahead.facts
    pace, qualifying = races.get("race_lap_us", Taught()), races.get("qualifying_us", Taught())
    slower = 1 + pace.shift
    missing: list[str] = []
    paces = _paces(ahead, slower) if found else []
    group = _group(found, facts.wetness or "dry") if found else None
    median = group.consistency.median_us if group else None
    distance = _distance(ahead, median, slower)
    if distance is None:
        missing.append(MISSING["race_laps"])
    laps = distance["laps"] if distance else None
    consumption = consumption_told(ahead, group, laps, races, missing) if found and laps else None
    # A battery isn't filled in the pits.
    fuel_laps = consumption["tank_laps"] if consumption and consumption["unit"] == "l" else None
    stops = stops_of(ahead, paces, laps, fuel_laps, missing) if laps else None
    if consumption:
        consumption["filled_at_stops"] = (
            stops["plans"][0]["stops"] if fuel_laps and consumption["saving_needed"] and stops and stops["plans"] else 0
        )
    lane = pit_loss_of(ahead, float(median)) if found and median is not None else None
    if group is not None and stops and stops["plans"]:
        missing += not_practised(ahead, group, stops["plans"][0]["stints"], lane)
    out = {
        **_whose(ahead),
        "compounds": sorted({item.name for item in paces} | {item.name for item in facts.compounds}),
        "distance": distance,
        "median_us": float(median) if median is not None else None,
        "target_us": ahead.target_us,
        "qualifying": _qualifying(ahead, group, qualifying, missing) if group else None,
        "consumption": consumption,
        "stops": stops,
        "opening": _opening(ahead, group, stops, laps) if group and laps else None,
        "limits": _limits(ahead, laps, missing, "strikes") if found and laps else None,
        "incidents": _limits(ahead, laps, missing, "incidents") if found and laps else None,
        "pit_loss": lane,
        "own_race": _own_race(ahead, group, laps, pace, missing) if group and laps else None,
        "crossing": _crossing(ahead, laps) if found and laps else None,
        "options": _decided(ahead),
        "eaters": ahead.eaters,
        "hot_readings": ahead.hot,
        "taught": dict(races),
        "missing": missing,
    }
    if not found:
        missing.insert(0, MISSING["laps"])
    return out


def _whose(ahead: Ahead) -> dict[str, Any]:
    return {
        "entry_id": ahead.entry.public_id,
        "week_id": ahead.week_id,
        "version": ahead.entry.version,
        "driver_id": ahead.driver.public_id,
        "driver": ahead.driver.name,
        "series": ahead.facts.series,
        "place": ahead.facts.place,
        "car": ahead.car.name if ahead.car else None,
        "combination_id": ahead.combination.public_id if ahead.combination else None,
        "layout_id": ahead.layout.public_id if ahead.layout else None,
        "race_at": ahead.race_at,
        "wish": asdict(ahead.wish),
    }


def _distance(ahead: Ahead, median_us: Fraction | None, slower: float) -> dict[str, Any] | None:
    """Laps of the race; None where no lap at pace tells how many there are.

    Args:
        slower: than practice, as earlier races were; 1 where they were alike.
    """
    facts, leader = ahead.facts, ahead.wish.leader_us
    if facts.race_laps:
        return {"laps": facts.race_laps, "close": False, "timed": False}
    if not facts.race_minutes or not median_us:
        return None
    lap = slower * float(median_us) / MICROSECONDS
    told = timed_race(facts.race_minutes, lap, leader / MICROSECONDS if leader else None)
    return {"laps": told.laps, "close": told.close, "timed": True}


def _decided(ahead: Ahead) -> list[dict[str, Any]]:
    """Options that were tried, for the race and for qualifying, as far as one of them won."""
    return [
        {
            "where": trial["where"],
            **{name: trial[name] if _won(trial, name) else None for name in ("race", "qualifying")},
        }
        for trial in ahead.trials
        if _won(trial, "race") or _won(trial, "qualifying")
    ]


def _won(trial: Mapping[str, Any], what: str) -> bool:
    """Whether a trial decided something: that two ways are alike, or that more laps are needed, is no advice for the
    day.
    """
    return trial[f"winner_{what}"] in ("first", "second")


def _group(found: DriverAnalysis, wetness: str) -> GroupAnalysis | None:
    """The group that tells most about a race in this weather."""
    like = [group for group in (found.main, *found.others) if group.group.wetness == wetness]
    return max(like, key=lambda group: (group.counts["clean"], group.counts["total"]), default=found.main)


def _paces(ahead: Ahead, slower: float) -> list[CompoundPace]:
    """How each compound goes in the race's weather, from groups with enough clean laps."""
    found = ahead.found
    assert found is not None
    only = ahead.facts.compounds[0].name if len(ahead.facts.compounds) == 1 else "tyres"
    out: dict[str, tuple[int, CompoundPace]] = {}
    for group in (found.main, *found.others):
        # Laps that don't say their compound were driven on the only one that there is.
        name, net = group.group.compound or only, group.falloff.net
        if group.group.wetness != (ahead.facts.wetness or "dry") or group.counts["clean"] < LEAST_LAPS:
            continue
        if name in out and out[name][0] >= group.counts["clean"]:
            continue
        slope = net.value if net is not None else 0.0
        runs = clean_runs(found.laps, group.members, 1)
        new = slower * float(
            np.median(
                [time - slope * number for run in runs for number, time in zip(run.numbers, run.times_us, strict=True)]
            )
        )
        cliff = group.falloff.cliff
        cold = [found.laps[index].lap.time_us for index in group.members if is_only(found.laps[index], "cold")]
        out[name] = (
            group.counts["clean"],
            CompoundPace(
                name,
                new,
                slope,
                net.low if net is not None else 0.0,
                net.high if net is not None else 0.0,
                ahead.wish.life.get(name),
                max(0.0, float(np.median(cold)) - new) if cold else 0.0,
                cliff.at if cliff is not None else None,
                max(0.0, cliff.after_us - slope) if cliff is not None else 0.0,
            ),
        )
    return [pace for _, pace in out.values()]


def _qualifying(ahead: Ahead, group: GroupAnalysis, races: Taught, missing: list[str]) -> dict[str, Any] | None:
    """How many laps there are, what the best of them is likely to be, and the odds of the target; the safe lap
    first.
    """
    assert ahead.found is not None
    clean = ahead.found.clean_times(group)
    if len(clean) < LEAST_LAPS or not group.best_of:
        missing.append(MISSING["qualifying"])
        return None
    lap = float(np.median(clean)) / MICROSECONDS
    laps = ahead.facts.qualifying_laps
    if ahead.facts.qualifying_minutes:
        # The last lap may end after the time is over, if it began before.
        fitting = 1 + int((ahead.facts.qualifying_minutes * 60 - _OUT_LAP * lap) / lap)
        laps = min(laps, max(1, fitting)) if laps else max(1, fitting)
    laps = max(1, laps or 2)
    rate = group.counts["clean"] / group.counts["eligible"] if group.counts["eligible"] else 0.0
    # As under Find: laps of a run are alike, so that the best of several is less of a chance.
    alike = group.falloff.net.correlation if group.falloff.net is not None else 0.0
    told = min(group.best_of, key=lambda item: abs(item.laps - laps))
    likely, low, high = told.p50_us, told.p10_us, told.p90_us
    slower = 1 + races.shift
    # What practice has to bring so that the race's qualifying brings the target.
    goal = round(ahead.target_us / slower) if ahead.target_us is not None else None
    return {
        "laps": laps,
        "cold_laps": ahead.car.cold_laps if ahead.car else None,
        "safe_us": slower * float(np.median(clean)),
        "likely_us": likely * slower if likely is not None else None,
        "low_us": wider(likely, low, races.widen) * slower if likely is not None and low is not None else None,
        "high_us": wider(likely, high, races.widen) * slower if likely is not None and high is not None else None,
        "odds": odds_of(clean, rate, laps, goal, alike) if goal is not None and rate > 0 else None,
        "odds_first": odds_of(clean, rate, 1, goal, alike) if goal is not None and rate > 0 else None,
        "clean_rate": rate,
        **_towed(ahead, group, clean, rate, laps, goal, alike),
    }


def _towed(
    ahead: Ahead, group: GroupAnalysis, clean: Sequence[int], rate: float, laps: int, goal: int | None, alike: float
) -> dict[str, float | None]:
    """What a tow is worth on a lap, and the odds of the target with one; from laps that had one and nothing else."""
    assert ahead.found is not None
    laps_of = (ahead.found.laps[index] for index in group.members)
    worth = tow_worth(clean, [item.lap.time_us for item in laps_of if is_only(item, "tow")])
    if worth is None:
        return {"tow_us": None, "odds_tow": None}
    quicker = [round(time - worth) for time in clean]
    return {
        "tow_us": worth,
        "odds_tow": odds_of(quicker, rate, laps, goal, alike) if goal is not None and rate > 0 else None,
    }


def _opening(ahead: Ahead, group: GroupAnalysis, stops: Mapping[str, Any] | None, laps: int) -> dict[str, Any] | None:
    """Push or save at the start of the first stint, as runs that weren't driven for a trial tell it."""
    assert ahead.found is not None
    first = int(stops["plans"][0]["stints"][0]["laps"]) if stops and stops["plans"] else laps
    net = group.falloff.net
    told = opening(
        clean_runs(ahead.found.laps, group.members, LEAST_LAPS), net.value if net is not None else 0.0, first
    )
    if told is None:
        return None
    tried = any(trial["where"] == "lap" and _won(trial, "race") for trial in ahead.trials)
    facts = {**asdict(told), "first": FIRST_LAPS, "tried": tried}
    return {**facts, "words": opening_words(facts)}


def _limits(ahead: Ahead, laps: int, missing: list[str], what: str) -> dict[str, Any] | None:
    """The chance of reaching a limit.

    Args:
        what: `strikes` or `incidents`.
    """
    found, name = ahead.found, f"{what.removesuffix('s')}_limit"
    assert found is not None
    limit = getattr(ahead.facts, name) or (getattr(ahead.combination, name) if ahead.combination is not None else None)
    flying = [item for item in found.laps if item.flying and item.lap.purpose != "experiment"]
    if not limit:
        return None
    if len(flying) < LEAST_LAPS:
        missing.append(incidents_missing(what))
        return None
    struck = Counter(
        where
        for item in flying
        for where in (item.strikes if what == "strikes" else (one.corner for one in item.incidents))
    )
    told = limit_budget({where: CornerRate(count, len(flying)) for where, count in struck.items()}, laps, limit)
    return {
        "limit": limit,
        "chance": told.chance,
        "expected": told.expected,
        "corners": [
            {"corner": name, "expected": told.by_corner[name], "halved": chance}
            for name, chance in list(told.halved.items())[:_ROUND]
        ],
    }


def _own_race(
    ahead: Ahead, group: GroupAnalysis, laps: int, races: Taught, missing: list[str]
) -> dict[str, Any] | None:
    found, middle = ahead.found, group.consistency.median_us
    assert found is not None
    told = None
    if middle is not None:
        slope = group.falloff.net.value if group.falloff.net is not None else 0.0
        # What a slip cost, its knock-on included; of laps that were spoilt otherwise, all that they took too long.
        cost: dict[tuple[str, int | None, int], float] = defaultdict(float)
        for slip in (slip for mistake in ahead.clinic.get("mistakes", ()) for slip in mistake["slips"]):
            cost[slip["session"], slip["run"], slip["lap"]] += slip["loss_us"] + slip["knock_on_us"]
        first: dict[tuple[str, int | None], int] = {}
        drawn = []
        for item in (found.laps[index] for index in group.members if found.laps[index].eligible):
            lap = item.lap
            into = lap.number - first.setdefault((lap.session, lap.run), lap.number)
            late = max(0.0, lap.time_us - float(middle) - slope * into) if not item.clean else 0.0
            slipped = max(0.0, cost.get((lap.session, lap.run, lap.number), late))
            drawn.append(RaceLap(lap.time_us - slope * into, slipped, bool(item.strikes or item.incidents)))
        told = race_from_laps(drawn, laps, slope)
        if told is not None:
            by, middle_us = 1 + races.shift, told.median_us
            low, high = (by * wider(middle_us, end, races.widen) for end in (told.low_us, told.high_us))
            told = replace(told, median_us=by * middle_us, low_us=low, high_us=high)
    if told is None:
        missing.append(MISSING["own_race"])
    if told is None:
        return None
    rivals = [float(lap_us * laps) for lap_us in ahead.wish.rivals_us]
    place, with_one_less = places(told, rivals) if rivals else (None, None)
    return {**asdict(told), "place": place, "place_one_less": with_one_less}


def _crossing(ahead: Ahead, laps: int) -> dict[str, Any] | None:
    """Wet or dry, where both groups and what people know of the tyres on the other's track are there."""
    found, wish = ahead.found, ahead.wish
    assert found is not None
    dry, wet = _pace_in(found, "dry"), _pace_in(found, "wet")
    if dry is None or wet is None or wish.wet_on_dry_us is None or wish.dry_on_wet_us is None:
        return None
    left = max(1, laps // 2)
    told: Mapping[str, Any] = {
        name: crossing_time(
            wet, dry, wish.dry_on_wet_us, wish.wet_on_dry_us, wish.pit_s * MICROSECONDS, left, drying=name == "drying"
        )
        for name in ("drying", "getting_wet")
    }
    return {"laps_left": left, **{name: asdict(value) if value else None for name, value in told.items()}}


def _pace_in(found: DriverAnalysis, weather: str) -> float | None:
    """The middle lap in a weather, of the group that is fastest in it."""
    known = [group.consistency.median_us for group in (found.main, *found.others) if group.group.wetness == weather]
    return min((float(value) for value in known if value is not None), default=None)
