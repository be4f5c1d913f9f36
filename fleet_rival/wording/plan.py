"""The plan in sentences: blocks, what they are worth and why, checks, and what speaks against something."""

from collections.abc import Mapping
from typing import Any, Final

from fleet_rival.core.planning.readiness import Check
from fleet_rival.wording.clinic import seconds
from fleet_rival.wording.mistakes import MISTAKE_WORDS

__all__ = [
    "BLOCK_WORDS",
    "CHECK_TITLES",
    "PURPOSE_WORDS",
    "RULE_WORDS",
    "became_words",
    "beside_words",
    "block_words",
    "check_words",
    "gain_words",
    "pass_words",
    "room_words",
]

BLOCK_WORDS: Final = {
    "walk": "walk the track",
    "build": "build pace",
    "corner": "corner work",
    "trial": "try an option",
    "wet": "drive in the wet",
    "night": "drive at that time of day",
    "long": "long run",
    "qualifying": "qualifying run",
    "rehearsal": "rehearsal",
    "review": "review with the coach",
}
RULE_WORDS: Final = {
    "outside": "outside of free time",
    "early": "before now",
    "late": "ends after the race has started",
    "twice": "at the same time as another block",
    "busy": "during a race",
    "rig": "the rig is taken",
    "rig-closed": "the rig isn’t free then",
    "coach": "the coach is taken",
    "coach-closed": "the coach has no time then",
    "order": "after what it should come before",
    "alone": "without what it needs first",
    "seat": "longer at the seat than its limit",
    "break": "too short a break before it",
    "day": "more driving than the day’s limit",
    "moved": "not where it was locked",
}
_CHECKS: Final = {
    "laps": ("laps driven", "{value:.0f} of {wanted:.0f} laps"),
    "gap": ("pace", "{gap} from the target"),
    "clean_rate": ("clean laps", "{percent} of laps clean, {wanted_percent} wanted"),
    "spread": ("consistency", "spread {value:.2f} %, {wanted:.2f} % wanted"),
    "long_run": ("long run", "longest run {value:.0f} laps, {wanted:.0f} wanted"),
    "mistakes": ("open mistakes", "{cost} a lap in recurring mistakes"),
    "references": ("references", "{value:.0f} corners without a confirmed braking reference"),
    "qualifying_run": ("qualifying runs", "{value:.0f} of {wanted:.0f}"),
    "pit": ("pit entry", "{value:.0f} of {wanted:.0f} in laps driven"),
    "start": ("start rehearsed", "{value:.0f} of {wanted:.0f} rehearsals"),
    "conditions": ("the race’s conditions", "{value:.0f} not driven yet"),
}
CHECK_TITLES: Final = {key: title for key, (title, _) in _CHECKS.items()}
PURPOSE_WORDS: Final = {
    "learn": "learning the track",
    "build": "building pace",
    "corner": "corner work",
    "trial": "trying an option",
    "long": "a long run",
    "qualifying": "a qualifying run",
    "rehearsal": "a rehearsal",
    "experiment": "an experiment",
    "commentary": "a run talked through",
}
_PASSED: Final = {
    "walk": (
        "you can say at each corner where you brake, turn in and pick up the throttle, and the last three laps are "
        "clean"
    ),
    "build": "three clean laps are {gain} quicker than the middle of those before",
    "corner": "ten of twelve passes come without the mistake",
    "trial": "each side has six clean laps, taken in turns",
    "wet": "eight laps are clean, and you know where there is grip off the dry line",
    "night": "eight laps are clean, with references that can be seen then",
    "long": "the laps are driven on one set without a slip that costs half a second",
    "qualifying": "the first lap is a safe one within half a per cent of your best; the second may risk more",
    "rehearsal": "the race’s distance is driven within the limits, with pit entry and exit",
    "review": "each open mistake has a next step that you can say in one sentence",
}
_UNKNOWN: Final = {
    "gap": "no target, or no lap",
    "clean_rate": "no lap yet",
    "spread": "too few clean laps",
    "mistakes": "no lap yet",
    "conditions": "no lap yet",
}


def block_words(kind: str, about: str) -> str:
    """A block in a few words: what, and about what."""
    told = BLOCK_WORDS.get(kind)
    if told is None:
        return about or kind
    if kind == "corner":
        corner, _, mistake = about.partition(":")
        return f"{corner}: {MISTAKE_WORDS.get(mistake, mistake)}"
    return f"{told}, {about}" if about else told


def pass_words(kind: str, numbers: Mapping[str, Any], own: str = "") -> str:
    """When a block is passed.

    Args:
        numbers: `gain_us`, what it is worth a lap; without it the words speak of it in general.
        own: what the team says instead.
    """
    if own:
        return f"Passed when {own}."
    gain = seconds(numbers["gain_us"]) if "gain_us" in numbers else "by what the block is worth"
    told = _PASSED.get(kind)
    return f"Passed when {told.format(gain=gain)}." if told else ""


def became_words(state: str, laps: int, purpose: str | None) -> str:
    """What became of a block; nothing for one that is still to come."""
    driven = "1 lap" if laps == 1 else f"{laps} laps"
    if state == "done":
        return f"done, {driven}" if laps else "done"
    if state == "short":
        return f"cut short after {driven}"
    if state == "replaced":
        return f"replaced by {driven}" + (
            f" of {PURPOSE_WORDS[purpose]}" if purpose in PURPOSE_WORDS else " of something else"
        )
    if state == "under_way":
        return f"under way, {driven}" if laps else "under way"
    return {"missed": "missed", "coming": ""}[state]


def beside_words(gained_us: float, added: int, dropped: int, moved: int) -> str:
    """What a change of the week would bring or cost."""
    if gained_us > 0:
        told = f"The plan would be worth {seconds(gained_us)} a lap more"
    elif gained_us < 0:
        told = f"The plan would be worth {seconds(-gained_us)} a lap less"
    else:
        told = "The plan would be worth as much as now"
    parts = [
        f"{count} {what}" for count, what in ((added, "new"), (dropped, "out"), (moved, "at another time")) if count
    ]
    return f"{told}: {', '.join(parts)}." if parts else f"{told}; no block would be other."


def room_words(kind: str, gained_us: float) -> str:
    """What would make room for a block, and what that is worth."""
    what = {
        "evening": "This time would make room",
        "rig": "Another rig would make room",
        "coach": "The coach’s time then would make room",
    }[kind]
    return f"{what}: worth {seconds(gained_us)} a lap more."


def gain_words(why: str, numbers: Mapping[str, Any], gain_us: float, lap_words: str = "a lap") -> str:
    """What a block is worth, and how that comes about."""
    worth = f"Worth {seconds(gain_us)} {lap_words}: "
    if why == "mistake":
        share = f"{100 * numbers['removed']:.0f} %"
        return (
            f"{worth}the mistake costs {seconds(numbers['cost_us'])} a lap, and such work takes {share} of that away."
        )
    if why == "learning":
        return f"{worth}half of what the learning curve still promises, no more than the way to the target" + _beyond(
            numbers
        )
    if why == "option":
        known = f"{numbers['labels']} at {numbers['where']} is undecided within ±{seconds(numbers['half_us'])}"
        return f"{worth}{known}; a wrong choice costs half of that on average."
    if why == "falloff":
        return (
            f"{worth}the falloff is known to ±{seconds(numbers['half_us'], 3)} a lap, over {numbers['laps']:.0f} laps "
            "of a stint."
        )
    if why == "review":
        return (
            f"{worth}looking at {seconds(numbers['cost_us'])} of mistakes together is taken to bring "
            f"{100 * numbers['share']:.0f} % of them."
        )
    return f"{worth}supposed, {100 * numbers['share']:.1f} % of a lap, as long as nothing is measured" + _beyond(
        numbers
    )


def _beyond(numbers: Mapping[str, Any]) -> str:
    reached = "gap_us" in numbers and numbers["gap_us"] <= 0
    return ", and less because the target is reached." if reached else "."


def check_words(check: Check) -> tuple[str, str]:
    """What a check is about, and what there is."""
    title, pattern = _CHECKS[check.key]
    if check.value is None:
        return title, _UNKNOWN.get(check.key, "nothing tells yet")
    value = check.value
    words = pattern.format(
        value=value,
        wanted=check.wanted,
        gap=seconds(value) if value > 0 else f"{seconds(-value)} below, 0",
        percent=f"{100 * value:.0f} %",
        wanted_percent=f"{100 * check.wanted:.0f} %",
        cost=seconds(value),
    )
    return title, f"{seconds(-value)} below the target" if check.key == "gap" and value <= 0 else words
