"""What a sheet expects of a race, kept with it, so that it can be held against what happened."""

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any, Final

from fleet_rival.core.race.afterwards import Expected, Taught, expected_count, expected_use, wider
from fleet_rival.core.race.consumption import Consumption

__all__ = ["expected_of", "read_expected"]

_EIGHT_IN_TEN: Final = 0.8
_NINE_IN_TEN: Final = 0.9
_NEARLY_ALL: Final = 0.95
"""Of races that lie within the figures' intervals, as they come from best-of-n, the race from own laps, and the
falloff.
"""
_TAUGHT: Final = frozenset({"qualifying_us", "race_lap_us", "fuel_l", "energy_kwh"})
"""Figures into which what earlier races taught goes."""
_UNITS: Final = {"l": "fuel_l", "kWh": "energy_kwh"}


def expected_of(figures: Mapping[str, Any]) -> dict[str, Any]:
    """The figures that can be looked at again afterwards, as JSON holds them.

    Args:
        figures: after `services.race.figures.figures_of`.
    """
    out: dict[str, Expected] = {}
    if (told := figures["qualifying"]) and told["likely_us"] is not None:
        out["qualifying_us"] = Expected(told["likely_us"], told["low_us"], told["high_us"], _EIGHT_IN_TEN)
    if (own := figures["own_race"]) and figures["distance"]:
        laps = figures["distance"]["laps"]
        out["race_lap_us"] = Expected(
            own["median_us"] / laps, own["low_us"] / laps, own["high_us"] / laps, _NINE_IN_TEN
        )
        out["slips"] = expected_count(own["slips"])
    if (stops := figures["stops"]) and stops["plans"]:
        first = stops["plans"][0]["stints"][0]["compound"]
        pace = next(item for item in stops["compounds"] if item["name"] == first)
        out["falloff_us"] = Expected(pace["falloff_us"], pace["falloff_low_us"], pace["falloff_high_us"], _NEARLY_ALL)
    if (used := figures["consumption"]) and figures["distance"]:
        own_use = Consumption(used["per_lap"], used["deviation"], used["between"], used["laps"], used["runs"])
        out[_UNITS[used["unit"]]] = expected_use(own_use, figures["distance"]["laps"])
    if limits := figures["limits"]:
        out["strikes"] = expected_count(limits["expected"])
    races = figures["taught"]
    return {
        name: {**asdict(item), **asdict(races.get(name, Taught()) if name in _TAUGHT else Taught())}
        for name, item in out.items()
    }


def read_expected(kept: Mapping[str, Any] | None, *, alone: bool = False) -> dict[str, Expected]:
    """What was kept with a sheet.

    Args:
        alone: as practice alone foretold it, without what earlier races had taught.
    """
    out = {}
    for name, item in (kept or {}).items():
        by, widen = (1 + item["shift"], item["widen"]) if alone else (1.0, 1.0)
        value = item["value"] / by
        low, high = (wider(value, item[end] / by, 1 / widen) for end in ("low", "high"))
        out[name] = Expected(value, low, high, item["share"])
    return out
