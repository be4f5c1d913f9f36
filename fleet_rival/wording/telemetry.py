"""What is said of traces."""

from typing import Final

from fleet_rival.core.telemetry.soundness import Stretch

__all__ = ["STRANGE", "reason_words", "stretch_sentence"]

STRANGE: Final = {
    "unknown": "no lap of this driver, session and number is known, so it isn't used",
    "ambiguous": "several runs have a lap of this number and the file names none, so it isn't used",
    "differs": "its lap took another time, so it is of another lap and isn't used",
    "twice": "it stands there twice with different samples, so neither is used",
    "short": "no lap of this number is known, and the trace isn't whole, so it has no time",
}

_REASONS: Final = {
    "gap": "samples are missing",
    "pause": "the clock ran on while the recording paused",
    "not_a_number": "values are missing",
    "repeated_distance": "the distance stands still while the car goes on",
    "falling_distance": "the distance falls",
    "teleport": "the car is suddenly somewhere else",
    "clock": "the clock stands or falls back",
    "begins_late": "the lap begins later",
    "ends_early": "the lap ends before the line",
}


def reason_words(reason: str) -> str:
    """Why a stretch can't be used, in a few words."""
    return _REASONS[reason]


def stretch_sentence(stretch: Stretch) -> str:
    """What can't be used, where, and why."""
    where = (
        f"from {stretch.start_m:.0f} to {stretch.end_m:.0f} m"
        if stretch.end_m > stretch.start_m
        else f"at {stretch.start_m:.0f} m"
    )
    what = f" ({', '.join(stretch.channels)})" if stretch.channels else ""
    times = "" if stretch.time_holds or stretch.reason == "ends_early" else ", so no time across it is used"
    return f"{where} {reason_words(stretch.reason)}{what}{times}"
