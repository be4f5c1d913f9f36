"""The track book in sentences: what to go by, which corner matters and why, what is to be seen to, a lap as a
script.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from fleet_rival.core.book.card import CardLine
from fleet_rival.core.book.checks import Check
from fleet_rival.core.book.corner import Lane
from fleet_rival.core.book.importance import Importance
from fleet_rival.core.book.references import Reference
from fleet_rival.core.words import RACE_PHASES

__all__ = [
    "LASTING_WORDS",
    "METRES",
    "YARDS",
    "LengthUnit",
    "card_words",
    "check_words",
    "harder_than_before",
    "importance_words",
    "lane_words",
    "ordinal",
    "reference_words",
]


@dataclass(frozen=True, slots=True)
class LengthUnit:
    """The unit in which somebody thinks of short distances."""

    sign: str
    metres: float

    def words(self, metres: float) -> str:
        """
        >>> METRES.words(12.5), YARDS.words(91.44)
        ('12.5 m', '100 yd')
        """
        value = metres / self.metres
        return f"{value:.0f} {self.sign}" if abs(value) >= 20 else f"{round(value, 1):g} {self.sign}"


METRES: Final = LengthUnit("m", 1.0)
YARDS: Final = LengthUnit("yd", 0.9144)

LASTING_WORDS: Final = {
    "fixed": "it stays",
    "time-of-day": "it moves with the time of day",
    "wears": "it wears in or out",
    "traffic": "it is hidden in traffic",
    "view": "it is hidden by the car or the view",
}
_VERBS: Final = {
    "braking": "Brake",
    "lift": "Lift",
    "turn-in": "Turn in",
    "apex": "Apex",
    "pick-up": "Throttle",
    "exit": "Run out",
}
_SIDES: Final = {
    "left": "on the left",
    "right": "on the right",
    "on the road": "on the road",
    "above": "overhead",
    "ahead": "straight ahead",
}
_SENSED: Final = {
    "sound": "when you hear",
    "feel": "when you feel",
    "sequence": "after",
    "horizon": "when",
    "car part": "when",
}
_PHASES: Final = {"start": "first laps", "middle": "middle of the race", "end": "last laps"}
_TRAITS: Final = {
    "on-camber": "camber helps",
    "off-camber": "falls away to the outside",
    "crest": "crest",
    "compression": "compression",
    "bump": "bump",
    "dirt": "dirt",
    "grip": "patch of other grip",
    "blind": "blind",
    "flat": "flat",
}
_COSTS: Final = {
    "strike": "costs a strike",
    "slow-down": "costs time to be given back",
    "void": "voids the lap",
    "nothing": "costs nothing",
}
_NAMES_ITSELF: Final = ("the ", "a ", "an ", "your ", "my ", "one ", "two ", "half ")
_PLACES_ITSELF: Final = (
    "just ",
    "shortly ",
    "where ",
    "when ",
    "before ",
    "after ",
    "between ",
    "level ",
    "in ",
    "on ",
    "at ",
    "as ",
)


def ordinal(number: int) -> str:
    """
    >>> [ordinal(n) for n in (1, 2, 3, 4, 11, 12, 21, 112)]
    ['1st', '2nd', '3rd', '4th', '11th', '12th', '21st', '112th']
    """
    tail = "th" if 10 <= number % 100 <= 20 else {1: "st", 2: "nd", 3: "rd"}.get(number % 10, "th")
    return f"{number}{tail}"


def reference_words(item: Reference, unit: LengthUnit = METRES) -> str:
    """What to go by, without its end stop: `Brake 5 m after the second board on the left, 2nd gear, 80 % brake`."""
    place = _place(item, unit)
    numbers = [
        f"{ordinal(item.gear)} gear" if item.gear is not None else "",
        f"{item.brake_peak_pct:g} % brake" if item.brake_peak_pct is not None else "",
        _throttle(item),
        f"harder than in {item.harder_than}" if item.harder_than else "",
    ]
    head = " ".join(filter(None, (_VERBS[item.point], place)))
    rest = ", ".join(filter(None, numbers))
    return f"{head}{': ' if rest and not place else ', ' if rest else ''}{rest}"


def importance_words(item: Importance, corners: int, unit: LengthUnit = METRES) -> str:
    """Why a corner matters as much as it does."""
    said = f"By hand; derived {item.derived}. " if item.level != item.derived else ""
    if not item.stretch_m:
        return f"{said}It runs straight into {item.feeds}: nothing is fed by it."
    time = (
        f"About {item.seconds:.1f} s at full throttle after it, "
        if item.seconds is not None
        else "At full throttle after it for "
    )
    over = "over " if item.seconds is not None else ""
    to = f"to {item.feeds}" if item.feeds != item.code else "round to itself"
    rank = "the longest" if item.rank == 1 else f"the {ordinal(item.rank)} longest"
    return f"{said}{time}{over}{unit.words(item.stretch_m)} {to}: {rank} of {corners}."


def check_words(item: Check) -> str:
    """What is to be seen to, as a sentence."""
    match item.kind:
        case "no-braking":
            return "Nobody has written what to brake by."
        case "only-proposed":
            one = len(item.references) == 1
            return (
                "What to brake by is proposed, and not confirmed."
                if one
                else f"{len(item.references)} proposals to brake by, none confirmed."
            )
        case "weak-braking":
            why = " and ".join(LASTING_WORDS[value] for value in item.values)
            return f"What one brakes by may be gone: {why}."
        case "two-gears":
            gears = [ordinal(int(value)) for value in item.values]
            return (
                f"{'Two' if len(gears) == 2 else len(gears)} gears for one apex: {', '.join(gears[:-1])} and "
                f"{gears[-1]}."
            )
        case "harder" if item.values:
            return (
                f"Said to need more brake than {item.other}, but {item.values[0]} % here and {item.values[1]} % there."
            )
        case "harder":
            return f"Said to need more brake than {item.other}, and {item.other} more than this one."
        case "limits-unknown":
            return "Nobody has read where the limits are."
        case "limits-old":
            before = f"by the rules “{item.values[0]}”" if item.values[0] else "by rules without a version"
            return f"The limits were read {before}; the week has “{item.values[1]}”."
        case "pit-exit":
            return "Nobody has written how the pit exit goes."


def card_words(line: CardLine, unit: LengthUnit = METRES) -> str:
    """One corner of the reading card, without its name."""
    sentences = [
        "Flat." if line.is_flat else "",
        *(f"{reference_words(item, unit)}{_only_proposed(item)}." for item in line.go_by),
    ]
    if line.linked:
        sentences.append(f"Give it up for {line.linked}.")
    minds = [
        *(_with(_TRAITS[trait.kind], trait.where) for trait in line.traits),
        *(f"stay off the kerb {_at(kerb.where)}" for kerb in line.never),
        *(f"the limit {_at(limit.where)} {_COSTS[limit.cost]}" for limit in line.limits),
    ]
    if minds:
        sentences.append(f"Mind: {'; '.join(minds)}.")
    for way in line.passing:
        side = "either side" if way.side == "either" else f"the {way.side}"
        sentences.append(f"Pass on {side}, {way.risk} risk{f': {way.wrong}' if way.wrong else ''}.")
        if way.yield_when:
            sentences.append(f"Yield {way.yield_when.removeprefix('yield ')}.")
    if line.lanes:
        sentences.append(f"{lane_words(line.lanes)}.")
    return " ".join(filter(None, sentences)) or "Nothing written yet."


def lane_words(lanes: Sequence[Lane]) -> str:
    """Which lane is driven in each phase of the race, in the order of the race, without a full stop."""
    told = []
    for item in sorted(lanes, key=lambda lane: RACE_PHASES.index(lane.phase)):
        where = f", {item.where}" if item.where else ""
        why = f" ({item.why})" if item.why else ""
        told.append(f"{_PHASES[item.phase]} {item.lane}{where}{why}")
    words = "; ".join(told)
    return f"{words[:1].upper()}{words[1:]}"


def plain_card(title: str, lines: Sequence[tuple[str, str]]) -> str:
    """The whole card as plain text, for a chat.

    Args:
        lines: name and words of each corner.
    """
    return "\n".join([title, "", *(f"{name}: {words}" for name, words in lines)]) + "\n"


def _only_proposed(item: Reference) -> str:
    """What nobody has confirmed isn't read out as if it were; one's own proposal is one's own."""
    return " (proposed)" if item.state == "proposed" and item.driver is None else ""


def _place(item: Reference, unit: LengthUnit) -> str:
    side = _SIDES.get(item.side or "", "")
    if item.offset_words:
        of = f", {item.thing}" if item.thing and item.thing.casefold() not in item.offset_words.casefold() else ""
        at = (
            item.offset_words
            if item.offset_words.casefold().startswith(_PLACES_ITSELF)
            else f"at {_named(item.offset_words)}"
        )
        return " ".join(filter(None, (at + of, side)))
    if not item.thing:
        return ""
    thing = " ".join(filter(None, (_named(item.thing), side)))
    if item.offset_m:
        return f"{unit.words(abs(item.offset_m))} {'after' if item.offset_m > 0 else 'before'} {thing}"
    return f"{_SENSED.get(item.kind, 'at')} {thing}"


def _named(thing: str) -> str:
    """A thing with its article, where it needs one."""
    own = thing.casefold().startswith(_NAMES_ITSELF) or thing[0].isupper() or thing[0].isdigit()
    return thing if own else f"the {thing}"


def _throttle(item: Reference) -> str:
    if item.throttle is None:
        return ""
    return item.throttle if item.point == "pick-up" or item.throttle == "not lifted" else f"throttle {item.throttle}"


def _with(words: str, where: str) -> str:
    return f"{words} ({where})" if where else words


def _at(where: str) -> str:
    return f"at the {where}" if where.startswith(("entry", "apex", "exit")) else where or "here"


def harder_than_before(corner: str) -> str:
    """What a reference said of a corner that has another name now.

    >>> harder_than_before("T4")
    'harder than in the former T4'
    """
    return f"harder than in the former {corner}"
