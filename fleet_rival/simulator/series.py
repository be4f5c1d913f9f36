"""The league's invented series: what their weeks have in common."""

from dataclasses import dataclass
from typing import Final

__all__ = ["SERIES", "Series"]


@dataclass(frozen=True, slots=True)
class Series:
    """A series: what its weeks have in common."""

    name: str
    kind: str
    """Of the places and cars that it rotates over."""
    drivers: tuple[int, ...]
    """Numbers of the team's drivers who drive in it."""
    compounds: tuple[str, ...]
    race_minutes: int | None
    race_laps: int | None
    starts: str
    start: str
    setup: str
    zone: str
    fuel_l: float | None = None
    energy_kwh: float | None = None


SERIES: Final = (
    Series(
        "Harbour Spark Cup",
        "harbour",
        (0, 1, 2, 3, 4, 5, 6, 7),
        ("street",),
        race_minutes=25,
        race_laps=None,
        starts="every 90min from 00:20",
        start="standing",
        setup="fixed",
        zone="UTC",
        energy_kwh=38.0,
    ),
    Series(
        "Long Hills Open",
        "hills",
        (0, 1, 3, 4, 5, 7),
        ("slick", "rain"),
        race_minutes=60,
        race_laps=None,
        starts="every 120min from 01:00",
        start="rolling",
        setup="open",
        zone="Europe/Oslo",
        fuel_l=62.0,
    ),
    Series(
        "Black Cinder League",
        "cinder",
        (1, 2, 3, 4, 6, 7),
        ("cinder",),
        race_minutes=None,
        race_laps=60,
        starts="every 60min from 00:45",
        start="rolling",
        setup="fixed",
        zone="America/Halifax",
        fuel_l=44.0,
    ),
)
