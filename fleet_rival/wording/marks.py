"""What the marks of laps are called, and what each says."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Final

__all__ = ["MARK_WORDS", "SURE_WORDS", "in_part_words", "why_words"]

MARK_WORDS: Final = {
    "cold": ("cold tyres", "First flying lap after the pits: no measure of pace."),
    "invalid": ("void", "The lap was declared void, or a track limit was exceeded on it."),
    "incident": ("incident", "A spin, contact or slide was reported."),
    "tow": ("tow", "A slipstream helped."),
    "traffic": ("traffic", "Others were in the way."),
    "yellow": ("yellow flag", "Driven under caution."),
    "pit": ("pit lane", "The lap touched the pit lane."),
    "in_part": (
        "in part",
        "Traffic, a yellow flag or a slipstream in a part of it: that part doesn't count, the others do.",
    ),
    "carried": ("carried over", "An incident on the lap before spoiled the start of this one."),
    "cool": ("cool-down", "Slow on purpose."),
    "practice_only": (
        "learning",
        "Driven to learn or to try, or set aside by somebody: no evidence against the driver.",
    ),
    "spoiled": ("spoiled", "Much slower than the run's ordinary laps."),
}
"""Mark to its short name and what it says."""

SURE_WORDS: Final = {
    "firm": "30 clean laps or more",
    "likely": "12 to 29 clean laps",
    "thin": "fewer than 12 clean laps: more would change these figures",
}
_SAID_BY: Final = {"fact": "as its source says", "rule": "by rule", "person": "somebody said so"}
_NOT_FLYING: Final = {
    "out": "An out lap: no lap time to compare.",
    "in": "An in lap: no lap time to compare.",
    "outin": "Out and in again at once.",
}


def in_part_words(flags: Iterable[str]) -> str:
    """What a lap's parts were flagged for.

    >>> in_part_words(["boost", "traffic:T4", "yellow:S2"])
    'traffic at T4, yellow flag at S2'
    """
    told = [token.partition(":") for token in flags if ":" in token]
    return ", ".join(f"{MARK_WORDS[flag][0]} at {part}" for flag, _, part in told) or MARK_WORDS["in_part"][0]


def why_words(kind: str, marks: Sequence[Mapping[str, Any]], denied: Sequence[Mapping[str, str]], counts: bool) -> str:
    """Why a lap counts or not, in one sentence.

    Args:
        kind: of the lap.
        marks: that it has: each with `name`, `meaning`, and `by` whom.
        denied: marks of which somebody said that it hasn't them.
    """
    if kind != "flying":
        return _NOT_FLYING[kind]
    if counts:
        names = " or ".join(item["name"] for item in denied)
        return f"Counts; somebody said that it isn't {names}." if denied else "Counts."
    return " ".join(f"{_begun(mark['name'])}, {_SAID_BY[mark['by']]}: {_within(mark['meaning'])}" for mark in marks)


def _begun(name: str) -> str:
    return name[0].upper() + name[1:]


def _within(sentence: str) -> str:
    return sentence[0].lower() + sentence[1:]
