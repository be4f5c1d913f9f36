"""What a race takes: fuel or energy, stops and their loss, tyres that were not practised."""

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import asdict, replace
from typing import Any, Final

from fleet_rival.core.analysis import GroupAnalysis
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.pace.runs import clean_runs
from fleet_rival.core.race.afterwards import Taught
from fleet_rival.core.race.caution import caution_windows
from fleet_rival.core.race.consumption import Consumption, consumption_of, litre_cost, start_load
from fleet_rival.core.race.pits import pit_loss
from fleet_rival.core.race.stops import CompoundPace, Rules, plans_of, tells_of_stint
from fleet_rival.core.times import MICROSECONDS
from fleet_rival.services.race.ahead import Ahead
from fleet_rival.wording.missing import MISSING, long_run_missing, tyres_missing
from fleet_rival.wording.race import plan_words

__all__ = ["LEAST_LAPS", "consumption_told", "not_practised", "pit_loss_of", "stops_of"]

LEAST_LAPS: Final = 8
"""Clean laps of a compound from which its pace is told."""


def consumption_told(
    ahead: Ahead, group: GroupAnalysis | None, laps: int, races: Mapping[str, Taught], missing: list[str]
) -> dict[str, Any] | None:
    """What a lap uses and what is loaded for a race.

    Args:
        laps: of the race.
        missing: gets a sentence where too little is known.
    """
    found = ahead.found
    assert found is not None
    falloff = group.falloff if group else None
    tanks = (("fuel_l", "l", ahead.car.tank_l), ("energy_kwh", "kWh", ahead.car.battery_kwh)) if ahead.car else ()
    for field, unit, tank in tanks:
        used = _used(found.laps, field)
        if used is None:
            continue
        own = races.get(field, Taught())
        used = replace(
            used,
            mean=used.mean * (1 + own.shift),
            deviation=used.deviation * own.widen,
            between=used.between * own.widen,
        )
        load = start_load(used, laps, ahead.wish.risk, ahead.wish.formation_laps, ahead.wish.saving)
        none_saved = start_load(used, laps, ahead.wish.risk, ahead.wish.formation_laps)
        needed = None
        if tank is not None and none_saved.amount > tank:
            needed = 1 - tank / none_saved.amount
        tyres = falloff.tyre_us_per_lap if falloff else None
        return {
            "unit": unit,
            "per_lap": used.mean,
            "deviation": used.deviation,
            "between": used.between,
            "laps": used.laps,
            "runs": used.runs,
            "start": load.amount,
            "margin": load.margin,
            "tank": tank,
            "tank_laps": int(tank / (load.amount / laps)) if tank is not None else None,
            "saving_needed": needed,
            "unit_us": litre_cost(used.mean, falloff.net.value if falloff and falloff.net else None, tyres)
            if unit == "l"
            else None,
        }
    missing.append(MISSING["fuel"])
    return None


def _used(laps: Sequence[JudgedLap], field: str) -> Consumption | None:
    """What laps used; those of runs that are driven like a race alone, where there are any."""
    runs: dict[tuple[str, int | None], dict[int, float]] = defaultdict(dict)
    like_race = set()
    for item in laps:
        value = getattr(item.lap, field)
        if item.flying and value is not None:
            key = (item.lap.session, item.lap.run)
            runs[key][item.lap.number] = value
            if item.lap.session_kind == "race" or item.lap.purpose in ("long", "rehearsal"):
                like_race.add(key)
    chosen = [own for key, own in runs.items() if not like_race or key in like_race]
    falls = [
        [value - own[number + 1] for number, value in own.items() if number + 1 in own and own[number + 1] < value]
        for own in chosen
    ]
    return consumption_of([run for run in falls if run])


def pit_loss_of(ahead: Ahead, median_us: float) -> dict[str, Any] | None:
    """What in laps and out laps of the race's weather tell of a stop."""
    assert ahead.found is not None
    told = pit_loss(
        [item.lap for item in ahead.found.laps if item.lap.wetness == (ahead.facts.wetness or "dry")], median_us
    )
    return asdict(told) if told else None


def stops_of(
    ahead: Ahead, paces: Sequence[CompoundPace], laps: int, fuel_laps: int | None, missing: list[str]
) -> dict[str, Any] | None:
    """The best plans of stops, with their lap times and odds.

    Args:
        laps: of the race.
        fuel_laps: that a full tank lasts; None where nobody knows.
        missing: gets a sentence where too little is known.
    """
    if not paces:
        missing.append(tyres_missing(LEAST_LAPS))
        return None
    facts, wish = ahead.facts, ahead.wish
    must = frozenset(item.name for item in facts.compounds if item.must)
    pit_us, varies_us = wish.pit_s * MICROSECONDS, wish.pit_deviation_s * MICROSECONDS
    rules = Rules(laps, must, facts.stops_min or 0, pit_us=pit_us, pit_deviation_us=varies_us, fuel_laps=fuel_laps)
    told = plans_of(paces, rules)
    caution_us = (wish.caution_pit_s if wish.caution_pit_s is not None else wish.pit_s / 2) * MICROSECONDS
    # Only where the series has them: elsewhere nobody slows the field.
    windows = caution_windows(paces, rules, told.plans[0], caution_us) if told.plans and facts.cautions else ()
    return {
        "cautions": [asdict(item) for item in windows],
        "plans": [
            {
                **asdict(plan),
                "stints": (stints := _stints(plan.stints)),
                "words": plan_words(stints),
                "stops": plan.stops,
            }
            for plan in told.plans
        ],
        "pit_flips_s": [
            {"stops": count, "seconds": value / MICROSECONDS} for count, value in told.pit_flips_us.items()
        ],
        "why_none": told.why_none,
        "falloff_flips": [
            {"compound": name, "falloff_us": value, "stints": (stints := _stints(other)), "words": plan_words(stints)}
            for name, (value, other) in told.falloff_flips.items()
        ],
        "compounds": [asdict(pace) for pace in paces],
    }


def _stints(stints: Iterable[tuple[str, int]]) -> list[dict[str, Any]]:
    return [{"compound": name, "laps": laps} for name, laps in stints]


def not_practised(
    ahead: Ahead, group: GroupAnalysis, stints: Sequence[Mapping[str, Any]], lane: Mapping[str, Any] | None
) -> Iterator[str]:
    """What of the best plan nobody has driven yet."""
    assert ahead.found is not None
    longest = max((len(run.laps) for run in clean_runs(ahead.found.laps, group.members, 1)), default=0)
    if not tells_of_stint(longest, int(stints[0]["laps"])):
        yield long_run_missing(longest, int(stints[0]["laps"]))
    if len(stints) > 1 and lane is None:
        yield MISSING["pit"]
