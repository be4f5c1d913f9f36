"""The demo's invented league: an island, a harbour street circuit, an electric coupé, and a team of eight."""

from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Final

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.track import Track
from fleet_rival.simulator.car import CarModel
from fleet_rival.simulator.drivers import DriverModel, Habit
from fleet_rival.simulator.practice import drive_practice, survey
from fleet_rival.simulator.road import Piece, lay_out

__all__ = ["SEED", "Practice", "harbour_practice"]

SEED: Final = 20310407

_HARBOUR: Final = (
    Piece(length_m=330),
    Piece(radius_m=28, turn_deg=80, code="T1", name="Weighhouse"),
    Piece(length_m=95),
    Piece(radius_m=45, turn_deg=-35, code="T2", name="Chandlery"),
    Piece(length_m=210),
    Piece(radius_m=22, turn_deg=95, code="T3", name="Net Loft"),
    Piece(length_m=160),
    Piece(radius_m=34, turn_deg=70, code="T4", name="Tar Yard", linked_to_next=True),
    Piece(length_m=24),
    Piece(radius_m=30, turn_deg=-75, code="T5", name="Slipway"),
    Piece(length_m=290),
    Piece(radius_m=18, turn_deg=110, code="T6", name="Lantern Steps"),
    Piece(length_m=120),
    Piece(radius_m=60, turn_deg=-40, code="T7", name="Icehouse"),
    Piece(length_m=240),
    Piece(radius_m=26, turn_deg=85, code="T8", name="Ballast Quay"),
    Piece(length_m=140),
    Piece(radius_m=80, turn_deg=70, code="T9", name="Foghorn"),
    Piece(length_m=180),
)
_COUPE: Final = CarModel("Wrenfield EC-2", grip_ms2=13.5, power_w_per_kg=210.0, drag_per_m=0.0009, top_speed_ms=64.0)
_DRIVERS: Final = (
    DriverModel("Ysolde Farrand", 0.985, 0.0035, 0.012, 0.7, 0.3, (Habit("T6", "late-throttle", 0.22, 0.31),)),
    DriverModel(
        "Corin Ashgrove", 0.978, 0.0048, 0.020, 0.9, 0.5, (Habit("T3", "early-brake", 0.30, 0.28), Habit("T8", "lock-up", 0.14, 0.42, "late"))
    ),
    DriverModel("Brannoc Tull", 0.962, 0.0030, 0.008, 0.5, 0.4, (Habit("T1", "over-slow", 0.18, 0.26),), (("T9", 0.22),)),
    DriverModel(
        "Teodora Wick", 0.970, 0.0060, 0.025, 1.1, 0.8, (Habit("T5", "wide-exit", 0.25, 0.35), Habit("T2", "kerb", 0.12, 0.30)), (), 0.03, 0.012
    ),
    DriverModel("Ilmar Soosaar", 0.974, 0.0040, 0.018, 1.4, 0.4, (Habit("T1", "late-brake", 0.50, 0.45, "cold"), Habit("T7", "limits", 0.10, 0.20))),
    DriverModel("Nerys Callowhill", 0.981, 0.0055, 0.015, 0.8, 1.2, (Habit("T8", "early-throttle", 0.20, 0.33),), (("T4", 0.15),)),
    DriverModel("Jorund Vetchley", 0.955, 0.0042, 0.022, 1.0, 0.9, (Habit("T6", "wrong-gear", 0.28, 0.30), Habit("T3", "missed-apex", 0.15, 0.25))),
    DriverModel("Amparo Quillon", 0.968, 0.0028, 0.010, 0.6, 0.2, (Habit("T9", "early-brake", 0.15, 0.24, "late"),), (("T6", 0.18),), 0.004, 0.002),
)
_SESSIONS: Final = (
    datetime(2031, 4, 7, 18, 0, tzinfo=UTC),
    datetime(2031, 4, 9, 18, 30, tzinfo=UTC),
    datetime(2031, 4, 11, 19, 0, tzinfo=UTC),
)


@dataclass(frozen=True, slots=True)
class Practice:
    """A combination's track, car and laps."""

    track: Track
    car: str
    laps: tuple[Lap, ...]


def harbour_practice(seed: int = SEED) -> Practice:
    """Three evenings of practice on the harbour streets."""
    road = lay_out(_HARBOUR)
    track = survey(road, _COUPE, "Port Skerrow", "Fishmarket", "street", ("T4", "T7"))
    laps = drive_practice(road, _COUPE, track, _DRIVERS, _SESSIONS, "street", seed)
    return Practice(track, _COUPE.name, tuple(laps))
