"""Units that people choose: what is kept is SI (and km/h, °C, kPa, litres); what is shown and typed is each person's.

Sentences are made once and read by many, so a quantity in a sentence is marked where it stands (`measure`) and written
in
somebody's own unit at the very end (`in_units`).
"""

import re
from collections.abc import Mapping
from typing import Final, NamedTuple

__all__ = ["DEFAULTS", "UNITS", "Unit", "in_units", "measure", "resolved", "unit_name"]


class Unit(NamedTuple):
    """How a unit comes from the one that is kept: value × factor + offset."""

    factor: float
    offset: float = 0.0
    more_decimals: int = 0
    """Decimals that it needs beside those of the kept unit to say as much."""


UNITS: Final[Mapping[str, Mapping[str, Unit]]] = {
    "speed": {"km/h": Unit(1.0), "mph": Unit(1 / 1.609344)},
    "temperature": {"°C": Unit(1.0), "°F": Unit(1.8, 32.0)},
    "pressure": {
        "kPa": Unit(1.0),
        "bar": Unit(0.01, more_decimals=2),
        "psi": Unit(1 / 6.894757293168361, more_decimals=1),
    },
    "volume": {"l": Unit(1.0), "gal": Unit(1 / 3.785411784, more_decimals=1)},
}
"""Quantity to its units, the kept one first. Factors are exact by definition (international mile, pound-force, US
gallon).
"""
DEFAULTS: Final[Mapping[str, str]] = {quantity: next(iter(units)) for quantity, units in UNITS.items()}
_ALSO: Final = {"volume": "fuel"}
"""Under which name a driver's profile keeps a quantity."""
_BEGINS, _ENDS = "\ue000", "\ue001"
_MARKED: Final = re.compile(f"{_BEGINS}({'|'.join(UNITS)})(?::(-?[0-9]{{1,15}}\\.[0-9]{{6}}):([0-9]):([ad]))?{_ENDS}")
"""Nothing but what `measure` writes: what people type is read by nobody as a quantity that there isn't."""


def resolved(*wishes: Mapping[str, object] | None) -> dict[str, str]:
    """The unit of each quantity: the first wish that names one of ours, else the kept one.

    Example:
        >>> resolved({"speed": None}, {"speed": "mph", "pressure": "cubits"})
        {'speed': 'mph', 'temperature': '°C', 'pressure': 'kPa', 'volume': 'l'}
    """
    return {
        quantity: next(
            (unit for wish in wishes if isinstance(unit := _wished(wish, quantity), str) and unit in units),
            DEFAULTS[quantity],
        )
        for quantity, units in UNITS.items()
    }


def _wished(wish: Mapping[str, object] | None, quantity: str) -> object:
    """What stands there, whatever it is: profiles and teams come in packages too."""
    return (wish.get(quantity) or wish.get(_ALSO.get(quantity, ""))) if wish else None


def measure(quantity: str, value: float, decimals: int = 0, *, apart: bool = False) -> str:
    """A quantity as it stands in a sentence until somebody reads it.

    Args:
        quantity: one of `UNITS`.
        value: in the kept unit.
        decimals: in the kept unit.
        apart: whether it is how far two are apart, to which no offset belongs.
    """
    return f"{_BEGINS}{quantity}:{value:.6f}:{decimals}:{'d' if apart else 'a'}{_ENDS}"


def unit_name(quantity: str) -> str:
    """The name of a quantity's unit, as it stands in a sentence until somebody reads it."""
    return f"{_BEGINS}{quantity}{_ENDS}"


def in_units(text: str, units: Mapping[str, str]) -> str:
    """A text with its quantities written in somebody's units.

    Example:
        >>> american = resolved({"speed": "mph", "pressure": "psi"})
        >>> in_units(f"{measure('speed', 60)} in the lane, {measure('pressure', 172)} cold", american)
        '37 mph in the lane, 24.9 psi cold'
    """
    if _BEGINS not in text:
        return text

    def written(found: re.Match[str]) -> str:
        quantity, value, decimals, kind = found.groups()
        name = units[quantity]
        if value is None:
            return name
        unit = UNITS[quantity][name]
        told = float(value) * unit.factor + (0.0 if kind == "d" else unit.offset)
        return f"{told:.{int(decimals) + unit.more_decimals}f} {name}".replace("-", "−")

    return _MARKED.sub(written, text)
