"""What background work is doing and how it ended, for who waits for it."""

from typing import Final

__all__ = [
    "BROKE",
    "CANCELLED",
    "LEFT_TEAM",
    "LOOKING_BACK",
    "LOOKING_FOR_LAPS",
    "LOOKING_WHAT_IS_OPEN",
    "PLACING",
    "PLANNING_BOTH",
    "TRYING_EVENINGS",
    "WAITING_FOR_ROOM",
    "WEEKS_BEFORE",
    "WRITING_PLAN",
    "beside_tables",
    "broken_off",
    "comparing",
    "counted",
]

CANCELLED: Final = "Cancelled before it was done; nothing of it is kept."
BROKE: Final = (
    "It broke on an error of the server's own; nothing of it is kept. Try again; if it stays, look into var/log."
)
LEFT_TEAM: Final = "Whoever asked for it is no longer in the team."
WAITING_FOR_ROOM: Final = "waiting for room on the disk"
LOOKING_FOR_LAPS: Final = "looking for the laps"
LOOKING_WHAT_IS_OPEN: Final = "looking at what is open"
PLACING: Final = "placing blocks"
WRITING_PLAN: Final = "writing the plan down"
PLANNING_BOTH: Final = "planning the week both ways"
TRYING_EVENINGS: Final = "trying one evening after another"
LOOKING_BACK: Final = "looking back, day by day"
WEEKS_BEFORE: Final = "looking at earlier weeks"


def broken_off(attempts: int) -> str:
    """Why work isn't begun again.

    >>> broken_off(3)
    'It was begun 3 times and each time broken off from outside.'
    """
    return f"It was begun {attempts} times and each time broken off from outside."


def beside_tables(number: int) -> str:
    """Of a package that is written."""
    return f"file {number:,} beside the tables"


def comparing(rows: int) -> str:
    """
    >>> comparing(12000)
    'comparing 12,000 rows with what is there'
    """
    return f"comparing {rows:,} rows with what is there"


def counted(done: int, total: int, what: str) -> str:
    """How far it is, in pieces.

    Args:
        what: the pieces and what is done with them, such as `laps are written`.

    >>> counted(500, 12000, "laps are written")
    '500 of 12,000 laps are written'
    """
    return f"{done:,} of {total:,} {what}"
