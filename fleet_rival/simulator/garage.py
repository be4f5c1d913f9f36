"""What the league's cars and rules are like, in words and numbers: the sheets that a manager would have written."""

from dataclasses import dataclass, field
from typing import Any, Final

__all__ = ["CAR_SHEETS", "RULES", "SETUPS", "SETUPS_S", "SETUP_NAME", "CarSheet", "Rules", "WrittenSetup"]


@dataclass(frozen=True, slots=True)
class CarSheet:
    """What is known of a car."""

    car_class: str
    drive: str
    gears: int
    limiter_rpm: int
    shift_rpm: tuple[int, ...]
    assists: tuple[str, ...]
    settings: tuple[dict[str, Any], ...]
    traits: tuple[str, ...]
    cold_laps: int
    tank_l: float | None = None
    battery_kwh: float | None = None
    drivers: tuple[int, ...] | None = None
    """Numbers of those who may drive it; None where it is open to all."""


@dataclass(frozen=True, slots=True)
class Rules:
    """What all weeks of a series have in common, beside its starts."""

    practice_minutes: float
    qualifying_minutes: float
    qualifying_laps: int | None
    grid: int
    incident_limit: int
    strike_limit: int
    stops_min: int
    cautions: bool
    fuel_rate: float
    tyre_rate: float
    changeable: tuple[dict[str, Any], ...] = field(default=())
    limits_rule: str = "two wheels inside the line"


def _setting(
    name: str, unit: str | None, low: float, high: float, step: float, default: float, does: str
) -> dict[str, Any]:
    return {"name": name, "unit": unit, "low": low, "high": high, "step": step, "default": default, "does": does}


_BALANCE: Final = _setting(
    "Brake balance", "%", 48, 62, 0.5, 56, "Share of the front brakes: forward is safer, backward turns in sooner."
)
_RECOVERY: Final = _setting("Recovery", None, 0, 9, 1, 5, "How hard the motor brakes when the throttle is lifted.")
_TRACTION: Final = _setting("Traction", None, 0, 8, 1, 3, "Cuts in earlier the higher it is; 0 is off.")
_REAR_BAR: Final = _setting("Rear bar", None, 1, 5, 1, 3, "Stiffer turns the car more, and lets it slide sooner.")
_WEDGE: Final = _setting("Wedge", "turns", -6, 6, 1, 0, "More of it loads the inside rear wheel and steadies the exit.")

CAR_SHEETS: Final = {
    "Wrenfield EC-2": CarSheet(
        "electric coupé",
        "rear",
        1,
        14_200,
        (),
        ("ABS",),
        (_BALANCE, _RECOVERY),
        ("Turns round when braked and steered at once.", "Pulls from nothing: the exit decides."),
        1,
        battery_kwh=42.0,
    ),
    "Ostelind Volant": CarSheet(
        "electric coupé",
        "all four",
        2,
        13_600,
        (12_900,),
        ("ABS", "traction"),
        (_BALANCE, _RECOVERY, _TRACTION),
        ("Pushes wide when the throttle comes before the apex.", "Forgives a late turn-in."),
        1,
        battery_kwh=40.0,
    ),
    "Halvane P7": CarSheet(
        "open prototype",
        "rear",
        6,
        9_100,
        (8_700, 8_750, 8_800, 8_850, 8_900),
        ("traction",),
        (_BALANCE, _TRACTION, _REAR_BAR),
        ("Needs the throttle laid on, not stabbed.", "Tyres are slow to warm."),
        2,
        tank_l=68.0,
        drivers=(0, 1, 3, 4, 5, 7),
    ),
    "Sorvald Nine": CarSheet(
        "open prototype",
        "rear",
        6,
        8_800,
        (8_400, 8_450, 8_500, 8_550, 8_600),
        ("traction",),
        (_BALANCE, _TRACTION, _REAR_BAR),
        ("Light in front over crests.", "Brakes late, and keeps rotating behind it."),
        2,
        tank_l=66.0,
        drivers=(0, 1, 3, 4, 5, 7),
    ),
    "Grindle Hauler": CarSheet(
        "utility truck",
        "rear",
        4,
        6_400,
        (6_000, 6_050, 6_100),
        (),
        (_BALANCE, _WEDGE),
        ("Heavy: what is overdriven on entry comes back at the exit.",),
        1,
        tank_l=48.0,
    ),
    "Brackwater Three": CarSheet(
        "utility truck",
        "rear",
        4,
        6_600,
        (6_200, 6_250, 6_300),
        (),
        (_BALANCE, _WEDGE),
        ("Loose on new tyres for two laps.", "Likes the high line when the inside goes off."),
        2,
        tank_l=46.0,
    ),
}

RULES: Final = {
    "harbour": Rules(
        5, 10, None, 24, 12, 8, 0, cautions=False, fuel_rate=1.0, tyre_rate=1.0, changeable=(_BALANCE, _RECOVERY)
    ),
    "hills": Rules(
        10,
        15,
        3,
        20,
        15,
        10,
        1,
        cautions=False,
        fuel_rate=1.0,
        tyre_rate=1.5,
        changeable=(_BALANCE, _TRACTION, _REAR_BAR),
    ),
    "cinder": Rules(5, 0, 2, 16, 17, 0, 0, cautions=True, fuel_rate=1.0, tyre_rate=1.0, changeable=(_BALANCE, _WEDGE)),
}
"""By kind of series."""

SETUP_NAME: Final = "Long road"


@dataclass(frozen=True, slots=True)
class WrittenSetup:
    """A version of a setup as the team wrote it: lines of name, value, unit and the corner where it is set in the
    car.
    """

    name: str
    lines: tuple[tuple[str, str, str | None, str | None], ...]
    reason: str
    purpose: str = "any"
    assists: str | None = None


_LINES: Final = (
    ("Rear wing", "7", None, None),
    ("Front ride height", "46", "mm", None),
    ("Rear ride height", "58", "mm", None),
    ("Rear bar", "3", None, None),
    ("Cold pressure, front", "152", "kPa", None),
    ("Cold pressure, rear", "148", "kPa", None),
    ("Brake balance", "56", "%", None),
    ("Traction", "3", None, None),
)


def _with(
    lines: tuple[tuple[str, str, str | None, str | None], ...], **values: str
) -> tuple[tuple[str, str, str | None, str | None], ...]:
    return tuple(
        (name, values.get(name.lower().replace(" ", "_"), value), unit, corner) for name, value, unit, corner in lines
    )


SETUPS: Final = (
    WrittenSetup(
        SETUP_NAME, _LINES, "From the evening in the neighbours' garage: a place to begin.", assists="traction"
    ),
    WrittenSetup(
        SETUP_NAME, _with(_LINES, rear_bar="2"), "It let go behind the crests on worn tyres.", assists="traction"
    ),
    WrittenSetup(
        SETUP_NAME,
        (
            *_with(_LINES, rear_bar="2", rear_wing="6"),
            ("Brake balance", "54.5", "%", "T3"),
            ("Traction", "5", None, "T8"),
        ),
        "For a race without rain: quicker on the long straight, steadied by hand where it needs it.",
        "race",
        "traction",
    ),
    WrittenSetup(
        "One lap", _with(_LINES, rear_wing="5", traction="1"), "Two laps, then the rear is gone.", "qualifying"
    ),
)
"""In the order of writing; a name that comes again is a further version."""

SETUPS_S: Final = {
    f"{SETUP_NAME} v1": {"T4": -0.05, "T8": 0.40, "T11": 0.25},
    f"{SETUP_NAME} v3": {"L0": -0.20, "T3": 0.10, "T7": -0.25, "T12": 0.05},
}
"""What the versions are worth in segments of the hills against the second, in seconds: less wing runs on the straights
and costs where the road turns.
"""
