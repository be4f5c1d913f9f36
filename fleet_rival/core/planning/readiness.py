"""Readiness of a driver for an entry: a list of checks with evidence, not a mystery figure."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from fleet_rival.core.settings import Rules
from fleet_rival.core.words import CheckState

__all__ = [
    "Check",
    "Evidence",
    "OpenMistake",
    "OpenOption",
    "readiness",
    "total",
]

_RANK: Final = {"open": 0, "close": 1, "met": 2}
_SHARE: Final = {"met": 1.0, "close": 0.5, "open": 0.0}


@dataclass(frozen=True, slots=True)
class OpenMistake:
    """A mistake that recurs.

    Attributes:
        cost_us: a lap.
        removed: the share that work on its kind takes away, as it has so far.
    """

    corner: str
    kind: str
    cost_us: float
    removed: float = 0.5


@dataclass(frozen=True, slots=True)
class OpenOption:
    """An option that was tried and isn't decided.

    Attributes:
        half_us: half of the interval of the difference, a lap.
    """

    where: str
    labels: tuple[str, ...]
    half_us: float


@dataclass(frozen=True, slots=True)
class Evidence:
    """What is known of a driver before a race. None where it isn't.

    Attributes:
        lap_us: a lap at pace: the median, else the target.
        gap_us: best lap less the target.
        longest_run: flying laps of the longest run.
        falloff_us: of laps as they are driven, microseconds a lap and lap of the run.
        falloff_half_us: half of the interval of the falloff, microseconds a lap and lap of age.
        learning_us: what the learning curve still promises.
        differences: conditions of the race that weren't driven: `wetness`, `time_of_day`, `track_temp_c` and so on.
        references_missing: corners that are braked for without a confirmed reference.
        known_track: laps of the driver on this layout in earlier weeks.
    """

    lap_us: int | None = None
    laps: int = 0
    gap_us: int | None = None
    clean_rate: float | None = None
    spread_pct: float | None = None
    longest_run: int = 0
    falloff_half_us: float | None = None
    learning_us: float | None = None
    qualifying_runs: int = 0
    rehearsals: int = 0
    in_laps: int = 0
    mistakes: tuple[OpenMistake, ...] = ()
    options: tuple[OpenOption, ...] = ()
    references_missing: int = 0
    differences: tuple[str, ...] = ()
    known_track: int = 0
    race_laps: int | None = None
    race_minutes: float = 60.0
    falloff_us: float | None = None


@dataclass(frozen=True, slots=True)
class Check:
    """One thing that a driver should have before a race.

    Attributes:
        key: which.
        value: what there is; None where nothing tells.
        wanted: what meets it.
        block: the kind of block that would close it; None where something else does.
    """

    key: str
    state: CheckState
    value: float | None
    wanted: float
    block: str | None


def readiness(evidence: Evidence, rules: Rules | None = None) -> list[Check]:
    """All checks, what is open first.

    >>> [(check.key, check.state) for check in readiness(Evidence(lap_us=90_000_000, laps=40))][:3]
    [('gap', 'open'), ('clean_rate', 'open'), ('spread', 'open')]
    """
    rules = rules or Rules()
    lap = evidence.lap_us or 0
    long_run = (
        rules.long_run_laps
        if evidence.race_laps is None
        else tuple(min(float(evidence.race_laps), wanted) for wanted in rules.long_run_laps)
    )
    cost = sum(item.cost_us for item in evidence.mistakes)
    gap_us = evidence.gap_us
    weather = "wet" if "wetness" in evidence.differences else "night" if "time_of_day" in evidence.differences else None
    found = [
        _at_least("laps", evidence.laps, rules.laps, "build" if evidence.laps else "walk"),
        _at_most("gap", gap_us, (rules.gap_share[0] * lap, rules.gap_share[1] * lap), "build"),
        _at_least("clean_rate", evidence.clean_rate, rules.clean_rate, "corner"),
        _at_most("spread", evidence.spread_pct, rules.spread_pct, "long"),
        _at_least("long_run", evidence.longest_run, long_run, "long"),
        _at_most("mistakes", cost if evidence.laps else None, rules.mistakes_us, "corner"),
        _at_most("references", evidence.references_missing, rules.references, "walk"),
        _at_least("qualifying_run", evidence.qualifying_runs, rules.qualifying_runs, "qualifying"),
        _at_least("pit", evidence.in_laps, rules.in_laps, "rehearsal"),
        _at_least("start", evidence.rehearsals, rules.rehearsals, "rehearsal"),
        _at_most("conditions", len(evidence.differences) if evidence.laps else None, rules.differences, weather),
    ]
    return sorted(found, key=lambda check: _RANK[check.state])


def total(checks: Sequence[Check], rules: Rules | None = None) -> float:
    """Weighted share of what is met, from 0 to 1; close counts half.

    >>> total(readiness(Evidence())), total(readiness(Evidence(lap_us=90_000_000, laps=80, clean_rate=0.9)))
    (0.0625, 0.4375)
    """
    weights = dict((rules or Rules()).weights)
    weighed = [(weights.get(check.key, 1.0), _SHARE[check.state]) for check in checks]
    whole = sum(weight for weight, _ in weighed)
    return sum(weight * share for weight, share in weighed) / whole if whole else 0.0


def _at_least(key: str, value: float | None, wanted: Sequence[float], block: str | None) -> Check:
    state: CheckState = "open" if value is None or value < wanted[1] else "met" if value >= wanted[0] else "close"
    return Check(key, state, value, wanted[0], block)


def _at_most(key: str, value: float | None, wanted: Sequence[float], block: str | None) -> Check:
    state: CheckState = "open" if value is None or value > wanted[1] else "met" if value <= wanted[0] else "close"
    return Check(key, state, value, wanted[0], block)
