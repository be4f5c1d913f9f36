"""Weeks to be planned, made up with a seed: drivers in several zones with jobs and families, shared rigs, a coach,
races at the weekend.
"""

from datetime import UTC, date, datetime, time, timedelta
from typing import Final
from zoneinfo import ZoneInfo

import numpy as np

from fleet_rival.core.planning.problem import Care, Person, Problem, Wanted
from fleet_rival.core.season.availability import Availability, Span, Window, free_spans

__all__ = ["week_to_plan"]

_ZONES: Final = ("Europe/Lisbon", "Europe/Berlin", "Europe/Helsinki", "America/Halifax", "Asia/Kolkata")
_KINDS: Final = (
    ("walk", 30, (60_000, 200_000)),
    ("build", 35, (50_000, 150_000)),
    ("corner", 25, (20_000, 90_000)),
    ("trial", 30, (10_000, 60_000)),
    ("long", 50, (20_000, 80_000)),
    ("qualifying", 20, (10_000, 60_000)),
    ("rehearsal", 60, (15_000, 70_000)),
    ("review", 30, (10_000, 50_000)),
)
"""Kind, usual minutes, and how much it is worth, in microseconds a lap."""
_WEIGHTS: Final = (1.0, 0.6, 0.35)


def week_to_plan(
    seed: int, drivers: int = 12, series: int = 3, rigs: int = 3, begins: date = date(2031, 4, 7)
) -> Problem:
    """A week from Monday to Monday in which not everything fits.

    Args:
        drivers: each entered in one or two of the series.
        rigs: shared by everybody who has none of the own; one driver in four has one.
    """
    rng = np.random.default_rng([seed, drivers])
    start = datetime.combine(begins, time(), UTC)
    end = start + timedelta(days=7)
    names = [f"R{number + 1}" for number in range(rigs)]
    people: list[Person] = []
    wanted: list[Wanted] = []
    races = [start + timedelta(days=5 + int(rng.integers(2)), hours=int(rng.integers(14, 21))) for _ in range(series)]
    for number in range(drivers):
        name = f"Driver {number + 1}"
        zone = ZoneInfo(_ZONES[int(rng.integers(len(_ZONES)))])
        entered = sorted(rng.choice(series, size=int(rng.integers(1, min(3, series + 1))), replace=False).tolist())
        busy: list[Span] = [(races[index], races[index] + timedelta(minutes=75)) for index in entered]
        people.append(Person(name, zone, _free(rng, zone, start, end), tuple(sorted(busy)), Care()))
        own = tuple(names) if rng.random() < 0.75 else ()
        for place, index in enumerate(entered):
            wanted += _blocks(rng, name, f"S{index + 1}", races[index], own, _WEIGHTS[place])
    return Problem(
        start,
        end,
        tuple(people),
        tuple(wanted),
        rigs={
            name: free_spans(
                Availability((Window(tuple(range(7)), time(16), time(1)),)), ZoneInfo("Europe/Berlin"), start, end
            )
            for name in names
        },
        coaches={
            "Coach": free_spans(
                Availability((Window((0, 2, 4), time(18), time(22)),)), ZoneInfo("Europe/Berlin"), start, end
            )
        },
    )


def _free(rng: np.random.Generator, zone: ZoneInfo, start: datetime, end: datetime) -> tuple[Span, ...]:
    """Some evenings, some of them past midnight, and one stretch at the weekend."""
    windows = []
    for day in sorted(rng.choice(5, size=int(rng.integers(2, 5)), replace=False).tolist()):
        hour = int(rng.integers(17, 22))
        windows.append(
            Window((int(day),), time(hour, int(rng.choice([0, 15, 30]))), time((hour + int(rng.integers(2, 4))) % 24))
        )
    hour = int(rng.integers(9, 15))
    windows.append(Window((5 + int(rng.integers(2)),), time(hour), time(hour + 3)))
    return free_spans(Availability(tuple(windows)), zone, start, end)


def _blocks(
    rng: np.random.Generator, name: str, series: str, race: datetime, rigs: tuple[str, ...], weight: float
) -> list[Wanted]:
    out: list[Wanted] = []
    new = rng.random() < 0.4
    for kind, usual, (low, high) in _KINDS:
        if rng.random() < 0.3 or (kind == "walk") != (new and kind == "walk"):
            continue
        minutes = int(usual * rng.uniform(0.7, 1.0) // 5 * 5)
        before = tuple(item.key for item in out if item.driving)
        needs = tuple(item.key for item in out if item.kind == "walk")
        driving = kind != "review"
        out.append(
            Wanted(
                f"{name}/{series}/{kind}",
                name,
                kind,
                minutes,
                round(float(rng.uniform(low, high)) * weight),
                race,
                driving=driving,
                rigs=rigs if driving else (),
                coach=None if driving else "Coach",
                after=before if kind in ("long", "qualifying", "rehearsal") else (),
                needs=needs,
                rehearsal=kind == "rehearsal",
            )
        )
    return out
