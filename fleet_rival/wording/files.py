"""What is said of files, where more than one place says it."""

from collections.abc import Mapping, Sequence
from typing import Final

__all__ = ["LEFT_OUT", "LINE_BROKE", "LINE_UNREADABLE", "TOO_MUCH", "not_yours"]

TOO_MUCH: Final = (
    "This file unpacks to more than can be read here, or takes too long. Save what is needed of it alone, as CSV, and "
    "try again."
)
LINE_UNREADABLE: Final = "This line can't be read any more."
LINE_BROKE: Final = "It met an error of the server's own and is kept. The log under var/log says more."
LEFT_OUT: Final[Mapping[str, str]] = {
    "analysis": "follows from the laps",
    "standing": "follows from the laps",
    "lap_verdict": "follows from the laps",
    "lap_curve": "follows from the traces",
    "change": "rows before and after, by keys that mean nothing elsewhere",
    "event": "who is to be told what",
    "job": "work of this installation",
    "upload": "files on their way",
    "feed_entry": "laps on their way",
    "board_visit": "what somebody has seen",
    "sign_in": "a way in",
    "sign_in_attempt": "a way in",
    "invitation": "a way in",
    "rig_token": "a way in",
    "calendar_address": "a way in",
}
"""Tables that stay at home when a team takes its data elsewhere, and why."""


def not_yours(own: str | None, others: Sequence[str]) -> str:
    """Why a driver can't add a file with laps of others.

    Args:
        own: the driver's name; None: whoever asks is none of the team's drivers.
        others: whose laps are in it.
    """
    whose = f"You add laps of {own} here" if own else "You aren't matched with a driver yet, so you can't add laps"
    return f"This file has laps of {', '.join(others[:3])}. {whose}; ask a manager or coach to add the rest."
