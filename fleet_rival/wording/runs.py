"""Words about runs: the check before one, what changed since the one before, how the car felt, how laps are typed."""

from collections.abc import Sequence
from typing import Any, Final

from fleet_rival.core.laps.questions import Question
from fleet_rival.core.runs.context import Change, deliberate
from fleet_rival.core.runs.pass_mark import PassMark
from fleet_rival.core.runs.precheck import Check
from fleet_rival.core.runs.typed import LETTERS
from fleet_rival.core.times import format_time
from fleet_rival.core.units import measure

__all__ = [
    "BECAUSE_WORDS",
    "DECLARED_LAST",
    "answer_words",
    "change_words",
    "check_words",
    "letters",
    "pass_mark_words",
    "question_words",
    "run_place",
    "together_words",
]

BECAUSE_WORDS: Final = {
    "traffic": "because of others",
    "yellow": "because of a yellow flag",
    "tow": "with a slipstream",
    "cool": "slow on purpose",
    "practice_only": "as an experiment",
}
"""What a remark may put something down to: the lap gets that mark, and it is no mistake."""
DECLARED_LAST: Final = "the run declared last"
_NAMES: Final = {
    "tyre_set": "tyre set",
    "compound": "compound",
    "tyre_age": "tyre age",
    "fuel_l": "fuel",
    "energy_kwh": "energy",
    "setup": "setup",
    "assists": "assists",
    "company": "company",
    "official": "official conditions",
    "options": "options",
}
_UNITS: Final = {"tyre_age": " laps", "energy_kwh": " kWh"}
_COMPANY: Final = {"solo": "alone", "behind": "behind others", "pack": "in a pack"}


def check_words(check: Check) -> str:
    """One line of the check, as what to look at."""
    name = check.key
    if name == "limiter":
        return "Pit limiter: on its button, and off when you leave"
    if name == "official":
        return "Official conditions: the room is set as the race is"
    value = _value(name, check.after)
    if name == "tyre_set":
        told = f"Tyre set {value} is on the car"
        return f"{told}, not {_value(name, check.before)} any more" if check.why == "changed" else told
    what = name.removeprefix("setting:") if name.startswith("setting:") else _NAMES.get(name, name).capitalize()
    if check.why == "changed":
        return f"{what}: {value}, was {_value(name, check.before)}"
    return f"{what}: {value}"


def change_words(change: Change) -> str:
    """One thing that is other than in the run before."""
    name = (
        change.what.removeprefix("setting:")
        if change.what.startswith("setting:")
        else _NAMES.get(change.what, change.what)
    )
    before, after = _value(change.what, change.before), _value(change.what, change.after)
    return f"{name} {before or 'none'} → {after or 'none'}"


def together_words(changes: Sequence[Change]) -> str | None:
    """That more than one thing was changed at once, where it was."""
    several = deliberate(changes)
    if len(several) < 2:
        return None
    return f"{len(several)} things were changed at once: what each of them does can't be told from these laps."


def _value(what: str, value: Any) -> str:
    if value is None:
        return ""
    if what == "options":
        return ", ".join(f"{where} = {label.replace('-', ' ')}" for where, label in value)
    if what == "company":
        return _COMPANY.get(value, str(value))
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float | int):
        if what == "fuel_l":
            return measure("volume", value, 0 if value == round(value) else 1)
        return f"{value:g}{_UNITS.get(what, '')}"
    return str(value)


def letters() -> list[dict[str, str]]:
    """The letters behind a typed lap, and what each says."""
    return [{"letter": letter, "words": words} for letter, (_, _, words) in LETTERS.items()]


def question_words(question: Question) -> str:
    """What is asked of a lap."""
    lost = format_time(question.loss_us) if question.loss_us else ""
    if question.kind == "tow":
        return "Faster than anybody drives alone here: a tow, or a record?"
    if question.kind == "damage":
        return f"Contact at {question.corner}, and the laps since are slower by {lost} s each: was the car damaged?"
    return f"Lost {lost} s at {question.corner} alone: what happened there?"


def answer_words(kind: str, answer: str) -> str:
    """One answer to what is asked of a lap."""
    return _ANSWERS[kind, answer]


_ANSWERS: Final = {
    ("tow", "tow"): "in a tow",
    ("tow", "record"): "a record",
    ("damage", "damage"): "damaged from there on",
    ("damage", "none"): "no damage",
    ("incident", "spin"): "a spin",
    ("incident", "contact"): "a contact",
    ("incident", "slide"): "a slide",
    ("incident", "traffic"): "others in the way",
    ("incident", "nothing"): "just slow",
}


def pass_mark_words(mark: PassMark, target_us: int | None) -> str:
    """How a run stands against its mark, as a sentence."""
    if mark.kind == "none":
        return "No target is set, so there is nothing to hold this run against."
    if mark.kind == "laps":
        return (
            f"{mark.done} laps without a fault; {mark.wanted} were wanted."
            if mark.met
            else f"{mark.done} of {mark.wanted} laps without a fault."
        )
    if mark.kind == "steady":
        alike = "" if mark.share is None else f", {mark.share:.0%} of them alike"
        return (
            f"{mark.done} clean laps{alike}; {mark.wanted} were wanted."
            if mark.met
            else f"{mark.done} of {mark.wanted} clean laps{alike}."
        )
    target = format_time(target_us) if target_us is not None else ""
    among = " within the first flying laps" if mark.kind == "first" else ""
    if mark.gap_us is None:
        return f"{target} or better{among}: no lap that counts yet."
    if mark.met:
        return f"{target} reached{among}: {-mark.gap_us / 1e6:.3f} s better."
    return (
        f"{target} missed{among}: {mark.gap_us / 1e6:.3f} s too slow."
        if mark.lost
        else f"{target}{among}: {mark.gap_us / 1e6:.3f} s to go."
    )


def run_place(session: str | None, run: int | None) -> str:
    """Which run something was noted on.

    Args:
        session: None: no lap of it is there.

    >>> run_place("3", 2)
    'session 3, run 2'
    """
    return f"session {session}, run {run}" if session else "a run without laps"
