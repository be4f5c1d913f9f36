"""From when on a check of readiness is met, each with its default."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Final

__all__ = ["CHECKS", "BadRule", "Rules", "rules_of"]


@dataclass(frozen=True, slots=True)
class Rules:
    """From when on a check is met, and close: the first value meets it. The manager's to change.

    Attributes:
        gap_share: of the lap, that the best lap may be above the target.
        long_run_laps: at least so many laps in a run, or the race's where it is shorter.
        mistakes_us: what open mistakes together may cost a lap.
        weights: of the checks, for who wants a total.
    """

    laps: tuple[float, float] = (60, 30)
    gap_share: tuple[float, float] = (0.0, 0.003)
    clean_rate: tuple[float, float] = (0.85, 0.75)
    spread_pct: tuple[float, float] = (0.5, 0.8)
    long_run_laps: tuple[float, float] = (18, 10)
    mistakes_us: tuple[float, float] = (50_000, 150_000)
    references: tuple[float, float] = (0, 2)
    qualifying_runs: tuple[float, float] = (2, 1)
    in_laps: tuple[float, float] = (3, 1)
    rehearsals: tuple[float, float] = (1, 1)
    differences: tuple[float, float] = (0, 1)
    weights: tuple[tuple[str, float], ...] = (("gap", 3.0), ("mistakes", 2.0), ("long_run", 2.0), ("laps", 2.0))


CHECKS: Final[Mapping[str, str]] = {
    "laps": "laps",
    "gap": "gap_share",
    "clean_rate": "clean_rate",
    "spread": "spread_pct",
    "long_run": "long_run_laps",
    "mistakes": "mistakes_us",
    "references": "references",
    "qualifying_run": "qualifying_runs",
    "pit": "in_laps",
    "start": "rehearsals",
    "conditions": "differences",
}
"""Checks, and which of the rules is theirs."""
_AT_MOST: Final = frozenset({"gap", "spread", "mistakes", "references", "conditions"})
_MOST: Final = 1e9
_HEAVIEST: Final = 10.0


class BadRule(ValueError):
    """A rule that can't be; the message is a sentence for people."""


def rules_of(told: Mapping[str, Sequence[float]], weights: Mapping[str, float]) -> Rules:
    """A team's rules: the usual ones with what it has changed.

    Args:
        told: check to what meets it and what is close.
        weights: check to its weight in the total.

    Raises:
        BadRule: a check that there isn't, a value that can't be, or one that is met before it is close.

    >>> rules_of({"laps": (40, 20)}, {"gap": 5.0}).laps
    (40.0, 20.0)
    """
    if unknown := sorted((told.keys() | weights.keys()) - CHECKS.keys()):
        raise BadRule(f"There is no check {unknown[0]}.")
    for key, (met, close) in told.items():
        if not (0 <= met <= _MOST and 0 <= close <= _MOST):
            raise BadRule(f"{key}: both values lie between 0 and a thousand million.")
        if met > close if key in _AT_MOST else met < close:
            raise BadRule(f"{key}: what is close can't be better than what meets it.")
    if bad := sorted(key for key, weight in weights.items() if not 0 <= weight <= _HEAVIEST):
        raise BadRule(f"{bad[0]}: a weight lies between 0 and {_HEAVIEST:g}.")
    usual = Rules()
    changed = {CHECKS[key]: (float(met), float(close)) for key, (met, close) in told.items()}
    return replace(usual, **changed, weights=tuple({**dict(usual.weights), **weights}.items()))
