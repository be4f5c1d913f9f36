"""Lap files of practice in which nothing varies, there is one of a thing, or something rises evenly."""

from collections.abc import Callable
from typing import Any

__all__ = ["KINDS", "NAMES", "lap_file"]

COLUMNS = (
    "driver,session,run,lap,kind,time,started_at,purpose,compound,tyre_set,tyre_age,fuel_l,setup,options,"
    "strikes,incidents,flags,plus_minus_ms"
)
NAMES = ("Ysolde Farrand", "Corin Ashgrove", "Keziah Umberlin")


def equal(lap: int, driver: int) -> dict[str, Any]:
    return {}


KINDS: dict[str, tuple[int, Callable[[int, int], dict[str, Any]]]] = {
    "eight equal laps": (8, equal),
    "twenty equal laps": (20, equal),
    "a lap": (1, equal),
    "two laps": (2, equal),
    "evenly slower": (
        16,
        lambda lap, driver: {"time": round(20.7 + 0.01 * lap, 3), "tyre_age": lap, "fuel_l": 40 - lap},
    ),
    "evenly faster": (16, lambda lap, driver: {"time": round(20.7 - 0.01 * lap, 3), "tyre_age": lap}),
    "equal, all struck": (12, lambda lap, driver: {"strikes": "T1"}),
    "equal, all with an incident": (12, lambda lap, driver: {"incidents": "spin:T1"}),
    "equal, two ways tried in turn": (16, lambda lap, driver: {"options": f"T1={'high' if lap % 2 else 'low'}"}),
    "equal, under one option alone": (16, lambda lap, driver: {"options": "lap=save"}),
    "equal, two setups": (16, lambda lap, driver: {"setup": "A" if lap < 9 else "B", "run": 1 if lap < 9 else 2}),
    "equal, by hand": (12, lambda lap, driver: {"plus_minus_ms": 40}),
    "equal, all in traffic": (12, lambda lap, driver: {"flags": "traffic"}),
    "equal, for learning": (12, lambda lap, driver: {"purpose": "learn"}),
    "one driver varies, the others don't": (
        14,
        lambda lap, driver: {"time": 20.7 + (0.05 * (lap % 3) if driver == 0 else 0)},
    ),
    "equal, one much slower": (14, lambda lap, driver: {"time": 24.0 if lap == 7 else 20.7}),
}


def lap_file(kind: str) -> bytes:
    count, facts = KINDS[kind]
    names = COLUMNS.split(",")
    rows = [COLUMNS]
    for driver, name in enumerate(NAMES):
        for lap in range(1, count + 1):
            values = {
                "driver": name,
                "session": "1",
                "run": 1,
                "lap": lap,
                "kind": "flying",
                "time": 20.7,
                "started_at": f"2031-03-0{driver + 3}T18:{lap:02}:00Z",
                "purpose": "build",
                "compound": "hard",
                "tyre_set": "1",
                "tyre_age": 3,
                "fuel_l": 30,
                **facts(lap, driver),
            }
            rows.append(",".join(str(values.get(column, "")) for column in names))
    return "\n".join(rows).encode()
