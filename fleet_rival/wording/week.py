"""What the board says: what needs somebody, what is open in a cell, and how prepared we are."""

from collections.abc import Sequence
from typing import Final

__all__ = [
    "ACTIONS",
    "CLASH_WORDS",
    "OPEN_WORDS",
    "TRACK_UNKNOWN",
    "asked_words",
    "counting_words",
    "joined",
    "layout_unknown",
    "need_words",
    "overlap_words",
    "own_prepared_words",
    "prepared_words",
]

ACTIONS: Final = {
    "two_starts": "Change the starts",
    "rig_taken": "Change the starts",
    "rig_closed": "Change the starts",
    "not_offered": "Choose the starts",
    "no_time": "Choose the starts",
    "no_start": "Look at the hours",
    "choose_start": "Choose the starts",
    "no_car": "Look at the car",
    "no_laps": "Add laps",
    "ask_tow": "Tow, or a record?",
    "ask_damage": "Say what it was",
    "ask_incident": "Say what it was",
    "no_entries": "Enter drivers",
    "no_track": "Add the track",
    "conditions": "Look at the laps",
    "no_references": "Open the track book",
    "no_target": "Set a target",
}
"""What a person does about each kind of need."""

OPEN_WORDS: Final = {
    "two_starts": "two starts at once",
    "rig_taken": "rig taken",
    "rig_closed": "rig closed then",
    "not_offered": "start not offered",
    "no_time": "start outside free time",
    "no_start": "no start fits",
    "choose_start": "no start chosen",
    "no_car": "may not drive it",
    "no_laps": "no laps yet",
    "ask_tow": "tow or record?",
    "ask_damage": "damage?",
    "ask_incident": "what happened?",
    "conditions": "other conditions",
    "missed_block": "practice missed",
}
"""What is open in a cell, in two or three words."""

CLASH_WORDS: Final = {
    "two_starts": "At the same time as another start of the same driver.",
    "rig_taken": "The rig is taken by somebody else then.",
    "rig_closed": "The rig is closed then.",
    "not_offered": "The series doesn’t offer this start any more.",
    "no_time": "Outside of the hours in which the driver has time.",
    "no_start": "No start of this week fits into the hours in which the driver has time.",
    "no_car": "The driver may not drive the car.",
}
"""What is wrong with an entry, in a sentence; the start that is meant stands before it."""


_NAMED: Final = 3
"""More names than this are counted."""


def joined(names: Sequence[str]) -> str:
    """Names in a sentence; of many the first two, and how many more.

    >>> joined(["Ysolde", "Corin", "Ilmar"])
    'Ysolde, Corin and Ilmar'
    >>> joined(["Ysolde", "Corin", "Ilmar", "Nerys"])
    'Ysolde, Corin and 2 others'
    """
    if len(names) > _NAMED:
        names = [*names[: _NAMED - 1], f"{len(names) - _NAMED + 1} others"]
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}" if names else "nobody"


def need_words(kind: str, drivers: Sequence[str], series: str, place: str, car: str) -> str:
    """What needs somebody, as a sentence without its end: when it is due stands behind it."""
    who, has, are = joined(drivers), "has" if len(drivers) == 1 else "have", "is" if len(drivers) == 1 else "are"
    return {
        "two_starts": f"{who} {are} entered for two starts at once",
        "rig_taken": f"{who} {'wants' if len(drivers) == 1 else 'want'} a rig that is taken at that time",
        "rig_closed": f"{who} {has} a start on a rig outside of its hours",
        "not_offered": f"{who} {has} a start that {series} doesn't offer any more",
        "no_time": f"{who} {has} a start in {series} outside of the free time",
        "no_start": f"No start of {series} fits into the free time of {who}",
        "choose_start": f"{who} {has} no start in {series} yet",
        "no_car": f"{who} {are} entered in {series} and may not drive {car}",
        "no_laps": f"{who} {has} no laps at {place} yet",
        "ask_tow": f"{who} lapped {place} faster than anybody drives alone",
        "ask_damage": f"{who} drove on more slowly at {place} after a contact",
        "ask_incident": f"{who} lost much time in a single corner at {place}",
        "no_entries": f"Nobody is entered in {series} at {place}",
        "no_track": f"{series} goes to {place}, which isn't complete here"
        if place
        else f"{series} has no track or car yet",
        "conditions": f"{who} practised at {place} in other conditions",
        "no_references": f"{place} has corners without a braking reference",
        "no_target": f"{place}, {car} has no target",
    }[kind]


def asked_words(kind: str, series: str, place: str, car: str) -> str | None:
    """What is asked of a driver themselves; None where it is somebody else's to do."""
    return {
        "two_starts": f"You are entered for two starts at once; one is in {series}",
        "not_offered": f"{series} doesn't offer one of your starts any more",
        "no_time": f"One of your starts in {series} lies outside of the hours you gave",
        "no_start": f"No start of {series} fits into the hours you gave",
        "choose_start": f"Choose your start in {series}",
        "no_car": f"You are entered in {series} and may not drive {car}: ask your manager",
        "no_laps": f"Drive your first laps at {place}",
        "ask_tow": f"You lapped {place} faster than anybody drives alone: a tow, or a record",
        "ask_damage": f"You were slower at {place} after a contact: was the car damaged",
        "ask_incident": f"You lost much time in one corner at {place}: what happened",
        "conditions": f"Practise at {place} in the race's conditions",
    }.get(kind)


def own_prepared_words(entered: bool, knows_track: bool, knows_car: bool, *, has_layout: bool) -> str:
    """The same for one driver, spoken to.

    >>> own_prepared_words(True, True, False, has_layout=True)
    'entered; you know the track, not yet this car on it'
    """
    if not has_layout:
        return "track not known here"
    if not entered:
        return "you aren't entered"
    if knows_car:
        return "entered; you know this car here"
    return f"entered; {'you know the track, not yet this car on it' if knows_track else 'new to you'}"


def prepared_words(entered: int, know_track: int, know_car: int, *, has_layout: bool, has_target: bool) -> str:
    """How prepared we are for a week that comes.

    >>> prepared_words(6, 4, 0, has_layout=True, has_target=False)
    '6 entered; 4 know the track, none this car on it; no target'
    """
    if not has_layout:
        return "track not known here"
    if not entered:
        return "nobody entered"
    known = f"{know_track or 'none'} {'knows' if know_track == 1 else 'know'} the track"
    car = f"{know_car or 'none'} this car on it"
    return "; ".join([f"{entered} entered", f"{known}, {car}", *([] if has_target else ["no target"])])


TRACK_UNKNOWN: Final = "track not known yet"


def layout_unknown(track: str, layout: str) -> str:
    """
    >>> layout_unknown("Port Skerrow", "Fishmarket")
    "Port Skerrow, Fishmarket isn't known yet: add its track file"
    """
    return f"{track}, {layout} isn't known yet: add its track file"


def overlap_words(week: int) -> str:
    """Why a week of a season's file is set aside."""
    return f"overlaps with week {week} of this series, which is there already"


def counting_words(series: str, best_weeks: int | None, starts_count: str) -> str:
    """What was said of how a series counts.

    >>> counting_words("Harbour Cup", 8, "best")
    'Said that in Harbour Cup the best 8 weeks count, of several starts the best'
    """
    told = f"the best {best_weeks} weeks count" if best_weeks is not None else "all weeks count"
    of_several = {"best": "the best", "sum": "the sum", "mean": "the mean"}[starts_count]
    return f"Said that in {series} {told}, of several starts {of_several}"
