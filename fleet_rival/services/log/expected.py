"""What a sheet expects of a race, kept with it, so that it can be held against what happened."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any, Final

from scipy import stats

from fleet_rival.core.race.afterwards import Expected

__all__ = ["Taught", "expected_of", "read_expected", "wider"]

_NINE_IN_TEN: Final = 0.9
_EIGHT_IN_TEN: Final = 0.8
_NEARLY_ALL: Final = 0.95
_TAUGHT: Final = frozenset({"qualifying_us", "race_lap_us", "fuel_l", "energy_kwh"})
"""Figures into which what earlier races taught goes."""
_UNITS: Final = {"l": "fuel_l", "kWh": "energy_kwh"}


@dataclass(frozen=True, slots=True)
class Taught:
    """What earlier races taught of a figure.

    Attributes:
        shift: share by which races were other than practice foretold.
        widen: by which their intervals were too narrow; below 1: too wide.
    """

    shift: float = 0.0
    widen: float = 1.0


def wider(value: float, end: float, widen: float) -> float:
    """An end of an interval around a value, made wider."""
    return value + (end - value) * widen


def expected_of(figures: Mapping[str, Any]) -> dict[str, Any]:
    """The figures that can be looked at again afterwards, as JSON holds them.

    Args:
        figures: after `services.race.ahead.figures_of`.
    """
    out: dict[str, Expected] = {}
    if (told := figures["qualifying"]) and told["likely_us"] is not None:
        out["qualifying_us"] = Expected(told["likely_us"], told["low_us"], told["high_us"], _EIGHT_IN_TEN)
    if (own := figures["own_race"]) and figures["distance"]:
        laps = figures["distance"]["laps"]
        out["race_lap_us"] = Expected(own["median_us"] / laps, own["low_us"] / laps, own["high_us"] / laps, _NINE_IN_TEN)
        out["slips"] = _number(own["slips"])
    if (stops := figures["stops"]) and stops["plans"]:
        first = stops["plans"][0]["stints"][0]["compound"]
        pace = next(item for item in stops["compounds"] if item["name"] == first)
        out["falloff_us"] = Expected(pace["falloff_us"], pace["falloff_low_us"], pace["falloff_high_us"], _NEARLY_ALL)
    if (used := figures["consumption"]) and figures["distance"]:
        # Of the mean over a race: how races differ, and what is left of laps' own scatter.
        spread = (used["between"] ** 2 + used["deviation"] ** 2 / figures["distance"]["laps"]) ** 0.5
        half = float(stats.norm.ppf(0.5 + _NINE_IN_TEN / 2)) * spread
        out[_UNITS[used["unit"]]] = Expected(used["per_lap"], used["per_lap"] - half, used["per_lap"] + half, _NINE_IN_TEN)
    if limits := figures["limits"]:
        out["strikes"] = _number(limits["expected"])
    races = figures["taught"]
    return {name: {**asdict(item), **asdict(races.get(name, Taught()) if name in _TAUGHT else Taught())} for name, item in out.items()}


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


def _number(mean: float) -> Expected:
    """A count of single events."""
    low, high = stats.poisson.interval(_NINE_IN_TEN, mean) if mean > 0 else (0.0, 0.0)
    return Expected(mean, float(low), float(high), _NINE_IN_TEN)
