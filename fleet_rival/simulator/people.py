"""The league's invented team: how each of its eight drives, and when each has time."""

from dataclasses import dataclass, replace
from typing import Any, Final

from fleet_rival.simulator.drivers import DriverModel, GivesUp, Habit, Tries

__all__ = ["COACH", "DRIVERS", "FREE_TIME", "MANAGER", "PROFILES", "TEAM", "FreeTime", "at_home_on"]

TEAM: Final = "Farhaven Racing"
MANAGER: Final = "Maren Holloway"
COACH: Final = "Idrik Fenwold"

DRIVERS: Final = (
    DriverModel("Ysolde Farrand", 0.985, 0.0035, 0.012, 0.7, 0.3, (Habit("T6", "late-throttle", 0.22, 0.31),)),
    DriverModel(
        "Corin Ashgrove",
        0.978,
        0.0048,
        0.020,
        0.9,
        0.5,
        (Habit("T3", "early-brake", 0.30, 0.28), Habit("T8", "lock-up", 0.45, 0.42, "late")),
    ),
    DriverModel(
        "Brannoc Tull", 0.962, 0.0030, 0.008, 0.5, 0.4, (Habit("T1", "over-slow", 0.18, 0.26),), (("T9", 0.22),)
    ),
    DriverModel(
        "Teodora Wick",
        0.970,
        0.0060,
        0.025,
        1.1,
        0.8,
        (Habit("T5", "wide-exit", 0.25, 0.35), Habit("T2", "slide", 0.20, 0.30)),
        (),
        0.03,
        0.012,
    ),
    DriverModel(
        "Ilmar Soosaar",
        0.974,
        0.0040,
        0.018,
        1.4,
        0.4,
        (Habit("T1", "late-brake", 0.35, 0.50, "cold"), Habit("T7", "limiter", 0.15, 0.26)),
        gives_up=GivesUp("T4", 0.20, "T5", 0.24),
    ),
    DriverModel(
        "Nerys Callowhill",
        0.981,
        0.0055,
        0.015,
        0.8,
        1.2,
        (Habit("T8", "early-throttle", 0.20, 0.33),),
        (("T4", 0.15),),
    ),
    DriverModel(
        "Jorund Vetchley",
        0.955,
        0.0042,
        0.022,
        1.0,
        0.9,
        (Habit("T6", "wrong-gear", 0.28, 0.30), Habit("T8", "missed-apex", 0.18, 0.30)),
        tries=Tries("T3", "early", "late", 0.03),
    ),
    DriverModel(
        "Amparo Quillon",
        0.968,
        0.0028,
        0.010,
        0.6,
        0.2,
        (Habit("T9", "early-brake", 0.36, 0.28, "late"),),
        (("T6", 0.18),),
        0.004,
        0.002,
    ),
)
"""Corners are those of the harbour; `at_home_on` carries the weaknesses over to another road."""


@dataclass(frozen=True, slots=True)
class FreeTime:
    """A weekly window in which a driver can sit down, in their own time zone; weekdays from Monday, 0."""

    driver: str
    zone: str
    weekdays: tuple[int, ...]
    begins: str
    ends: str


FREE_TIME: Final = (
    FreeTime("Ysolde Farrand", "Atlantic/Reykjavik", (0, 2, 4), "18:30", "22:00"),
    FreeTime("Corin Ashgrove", "Europe/London", (1, 3), "20:00", "23:00"),
    FreeTime("Brannoc Tull", "Europe/London", (0, 1, 2, 3), "06:00", "07:30"),
    FreeTime("Teodora Wick", "Europe/Athens", (5, 6), "10:00", "16:00"),
    FreeTime("Ilmar Soosaar", "Europe/Tallinn", (0, 2, 3), "19:00", "22:30"),
    FreeTime("Nerys Callowhill", "America/Halifax", (2, 4, 6), "17:00", "21:00"),
    FreeTime("Jorund Vetchley", "Europe/Oslo", (0, 1, 2, 3, 4), "21:00", "22:15"),
    FreeTime("Amparo Quillon", "America/Bogota", (1, 4, 5), "18:00", "21:30"),
)


def at_home_on(driver: DriverModel, number: int, corners: int, scale: float) -> DriverModel:
    """A driver with the same kinds of weaknesses at corners of another road.

    Args:
        number: of the driver, so that not everybody fails at the same corner.
        corners: how many the road has.
        scale: how much longer a lap is than one of the harbour: seconds that belong to the whole lap grow with it.
    """

    def moved(code: str, place: int) -> str:
        return f"T{(int(code[1:]) * 5 + 3 * number + place) % corners + 1}"

    return replace(
        driver,
        tries=None,
        gives_up=None,
        falloff_s=driver.falloff_s * scale,
        cold_s=driver.cold_s * scale,
        learning_s=driver.learning_s * scale,
        habits=tuple(replace(habit, corner=moved(habit.corner, place)) for place, habit in enumerate(driver.habits)),
        standing=tuple((moved(corner, 1), loss) for corner, loss in driver.standing),
    )


PROFILES: Final[dict[str, dict[str, Any]]] = {
    "Ysolde Farrand": {
        "nickname": "Ys",
        "assists": {"abs": "as the car has it", "traction": "3", "shifting": "paddles, own clutch", "line": "off"},
        "controls": "Direct wheel, load-cell pedals",
        "view": {"field_of_view_deg": 52, "screens": 3, "words": "Dash hidden, mirror on"},
        "preferences": "Sound references before sight; short notes.",
        "units": {"speed": "km/h", "temperature": "°C"},
    },
    "Corin Ashgrove": {
        "nickname": "Ash",
        "assists": {"abs": "off where it may be", "traction": "1", "shifting": "paddles", "line": "off"},
        "controls": "Belt wheel, three pedals",
        "view": {"field_of_view_deg": 38, "screens": 1, "words": "Bonnet view: the left kerb is hidden"},
        "preferences": "Wants the why behind each exercise.",
        "units": {"speed": "mph", "temperature": "°C"},
    },
    "Brannoc Tull": {
        "nickname": None,
        "assists": {"shifting": "paddles", "line": "off"},
        "controls": "Belt wheel, load-cell brake",
        "view": {"field_of_view_deg": 60, "screens": 1, "words": "Ultra-wide screen"},
        "preferences": "Before work only; one thing a day.",
        "units": {"speed": "mph", "temperature": "°C"},
    },
    "Teodora Wick": {
        "nickname": "Teo",
        "assists": {"shifting": "automatic clutch", "line": "corners only"},
        "controls": "Gear wheel, two pedals",
        "view": {"field_of_view_deg": 44, "screens": 1, "words": ""},
        "preferences": "Learns by watching a lap first.",
        "units": {"speed": "km/h", "temperature": "°C"},
    },
    "Ilmar Soosaar": {
        "nickname": None,
        "assists": {"abs": "as the car has it", "shifting": "paddles, own clutch", "line": "off"},
        "controls": "The rig's own",
        "view": {"field_of_view_deg": 56, "screens": 3, "words": ""},
        "preferences": "Slow hands on cold tyres: a reminder helps.",
        "units": {"speed": "km/h", "temperature": "°C"},
    },
    "Nerys Callowhill": {
        "nickname": "Nerys",
        "assists": {"traction": "5", "shifting": "paddles", "line": "off"},
        "controls": "Direct wheel, load-cell pedals",
        "view": {"field_of_view_deg": 100, "screens": 1, "words": "Headset: boards are read late"},
        "preferences": "Not more than an hour with the headset.",
        "units": {"speed": "mph", "temperature": "°F"},
    },
    "Jorund Vetchley": {
        "nickname": "Jo",
        "assists": {"shifting": "stick and clutch", "line": "off"},
        "controls": "The rig's own",
        "view": {"field_of_view_deg": 56, "screens": 3, "words": ""},
        "preferences": "Late evenings; written notes.",
        "units": {"speed": "km/h", "temperature": "°C"},
    },
    "Amparo Quillon": {
        "nickname": None,
        "assists": {"traction": "2", "shifting": "paddles", "line": "off"},
        "controls": "Belt wheel, load-cell brake",
        "view": {"field_of_view_deg": 48, "screens": 3, "words": "Side screens angled"},
        "preferences": "Likes numbers; no video.",
        "units": {"speed": "km/h", "temperature": "°C"},
    },
}
"""How each of them drives and sees; by name."""
