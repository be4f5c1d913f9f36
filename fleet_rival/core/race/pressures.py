"""Tyre pressures: which cold setting gives the wanted hot pressure, by the gas law on absolute pressure."""

from dataclasses import dataclass
from typing import Final

from fleet_rival.core.units import measure

__all__ = ["ATMOSPHERE_KPA", "BadPressure", "Measured", "cold_setting", "rounded_to"]

ATMOSPHERE_KPA: Final = 101.325
_ZERO_C: Final = 273.15
_LOW, _HIGH = 40.0, 600.0
"""Gauge pressures of car tyres, in kilopascals: beyond these somebody mistook the unit."""
_MOST_RISE: Final = 2.0
"""No tyre doubles its absolute pressure by getting warm."""


class BadPressure(ValueError):
    """Pressures that can't belong together; the message is a sentence for people."""


@dataclass(frozen=True, slots=True)
class Measured:
    """What was measured of one wheel: gauge pressures, in kilopascals.

    Attributes:
        cold_kpa: as it was set.
        hot_kpa: after the run.
        cold_c: temperature at which it was set; hot: of the track while it was driven. None where nobody knows.
    """

    cold_kpa: float
    hot_kpa: float
    cold_c: float | None = None
    track_c: float | None = None


def cold_setting(
    measured: Measured, wanted_hot_kpa: float, cold_c: float | None = None, track_c: float | None = None
) -> float:
    """The cold gauge pressure that gives a wanted hot one, in kilopascals.

    The air in the tyre warms by the same ratio of absolute temperatures as when it was measured; where temperatures are
    known then and now, it is set at the one and gets hotter by as much as the track is hotter.

    Args:
        cold_c: at which it is set now.
        track_c: of the track in the race.

    Raises:
        BadPressure: a pressure that no tyre has, hot and cold mistaken for each other, or a rise that there can't be.
    """
    for name, value in (("cold", measured.cold_kpa), ("hot", measured.hot_kpa), ("wanted hot", wanted_hot_kpa)):
        if not _LOW <= value <= _HIGH:
            low, high = measure("pressure", _LOW), measure("pressure", _HIGH)
            raise BadPressure(
                f"A {name} pressure of {measure('pressure', value)} is none of a tyre: {low} to {high}, above the air "
                "around."
            )
    cold, hot, wanted = (value + ATMOSPHERE_KPA for value in (measured.cold_kpa, measured.hot_kpa, wanted_hot_kpa))
    if hot < cold:
        raise BadPressure("The hot pressure is below the cold one: they may have changed places.")
    if hot / cold > _MOST_RISE:
        raise BadPressure(
            "The hot pressure is more than twice the cold one, the air around included: one of them is wrong."
        )
    # Temperatures of the air inside, from the ratio; unknown ones are taken as they were.
    then_cold = _ZERO_C + (measured.cold_c if measured.cold_c is not None else 20.0)
    then_hot = then_cold * hot / cold
    now_cold = then_cold if cold_c is None or measured.cold_c is None else _ZERO_C + cold_c
    now_hot = then_hot + (track_c - measured.track_c if track_c is not None and measured.track_c is not None else 0.0)
    setting = wanted * now_cold / now_hot - ATMOSPHERE_KPA
    if not _LOW <= setting <= _HIGH:
        raise BadPressure(f"That would take a cold pressure of {measure('pressure', setting)}, which no tyre has.")
    return setting


def rounded_to(value: float, step: float, low: float | None = None, high: float | None = None) -> float:
    """A setting on the car's step, within what it allows.

    >>> rounded_to(158.3, 0.5, low=150.0)
    158.5
    >>> rounded_to(149.0, 0.5, low=150.0)
    150.0
    """
    if step <= 0:
        raise ValueError("a step is more than nothing")
    start = low if low is not None else 0.0
    told = start + round((value - start) / step) * step
    if low is not None:
        told = max(told, low)
    return told if high is None else min(told, high)
