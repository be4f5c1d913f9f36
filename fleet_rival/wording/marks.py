"""What the marks of laps are called, and what each says."""

from typing import Final

__all__ = ["MARK_WORDS", "SURE_WORDS"]

MARK_WORDS: Final = {
    "cold": ("cold tyres", "First flying lap after the pits: no measure of pace."),
    "invalid": ("void", "The lap was declared void, or a track limit was exceeded on it."),
    "incident": ("incident", "A spin, contact or slide was reported."),
    "tow": ("tow", "A slipstream helped."),
    "traffic": ("traffic", "Others were in the way."),
    "yellow": ("yellow flag", "Driven under caution."),
    "pit": ("pit lane", "The lap touched the pit lane."),
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
