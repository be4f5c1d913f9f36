"""How a car felt, and what was read off it after a run: the scales and their limits."""

from collections.abc import Mapping
from typing import Any, Final

from fleet_rival.core.words import WHEELS

__all__ = ["BadReading", "check_readings"]

_LIMITS: Final = {"tread_pct": (0.0, 100.0), "hot_pressure_kpa": (20.0, 600.0)}


class BadReading(ValueError):
    """A measured value that can't be; the message is a sentence."""


def check_readings(readings: Mapping[str, Any]) -> None:
    """Refuse values that no wheel has: tread outside 0 to 100 %, pressure outside 20 to 600 kPa.

    Args:
        readings: `tread_pct` and `hot_pressure_kpa`, by wheel.

    Raises:
        BadReading: as a sentence.
    """
    for what, (low, high) in _LIMITS.items():
        for wheel, value in (readings.get(what) or {}).items():
            if wheel not in WHEELS:
                raise BadReading(f"There is no wheel {wheel}.")
            if value is not None and not low <= value <= high:
                unit = "%" if what == "tread_pct" else "kPa"
                raise BadReading(
                    f"{value:g} {unit} at the {wheel.replace('_', ' ')} can't be: {low:g} to {high:g} {unit} are "
                    "possible."
                )
