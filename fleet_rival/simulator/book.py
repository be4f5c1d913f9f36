"""What the demo's team has written into its track book: complete on the harbour, half done on the oval, begun on the
long road.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any, Final

__all__ = ["BOOKS", "Book", "Note", "Question", "Written", "long_road_references"]

RULES: Final = "two wheels inside the line"
_OLD_RULES: Final = "all wheels inside the line"


@dataclass(frozen=True, slots=True)
class Written:
    """A reference, and who wrote it."""

    corner: str
    point: str
    kind: str
    thing: str
    values: dict[str, Any] = field(default_factory=dict)
    at: tuple[str, float] | None = None
    """Where it lies: from the corner's `start`, `apex` or `end`, so many metres on."""
    proposed: bool = False
    """Not confirmed yet."""
    by_driver: bool = False
    """By the driver who can sign in, else by the coach."""
    own: bool = False
    """For that driver alone."""
    car: str | None = None


@dataclass(frozen=True, slots=True)
class Note:
    """What is written of a corner, in the words of the track book."""

    corner: str
    values: dict[str, Any]


@dataclass(frozen=True, slots=True)
class Question:
    """Something that was asked, and perhaps answered."""

    corner: str | None
    text: str
    answer: str | None = None


@dataclass(frozen=True, slots=True)
class Book:
    """A layout's book."""

    track: str
    layout: str
    notes: tuple[Note, ...]
    references: tuple[Written, ...]
    questions: tuple[Question, ...]
    pit_entry: str | None = None
    pit_exit: str | None = None


def _limit(where: str, cost: str = "strike", part: str = "two wheels", rules: str = RULES) -> dict[str, Any]:
    return {"where": where, "part": part, "cost": cost, "rules": rules}


def _kerb(where: str, use: str, why: str = "") -> dict[str, Any]:
    return {"where": where, "use": use, "why": why}


def _trait(kind: str, where: str = "") -> dict[str, Any]:
    return {"kind": kind, "where": where}


def _pass(side: str, risk: str, wrong: str = "", yield_when: str = "") -> dict[str, Any]:
    return {"side": side, "risk": risk, "wrong": wrong, "yield_when": yield_when}


def _lane(phase: str, lane: str, where: str = "", why: str = "") -> dict[str, Any]:
    return {"phase": phase, "lane": lane, "where": where, "why": why}


_EC2: Final = "Wrenfield EC-2"
_VOLANT: Final = "Ostelind Volant"
_HAULER: Final = "Grindle Hauler"
_P7: Final = "Halvane P7"

_HARBOUR: Final = Book(
    "Port Skerrow",
    "Fishmarket",
    notes=(
        Note(
            "T1",
            {
                "other_names": ["Scales"],
                "limits": [_limit("exit, over the painted line")],
                "kerbs": [_kerb("inside", "use", "low and flat"), _kerb("exit", "brush", "ends in a drain cover")],
                "passing": [
                    _pass("right", "low", "the outside closes on the exit", "when a car is alongside at the scales")
                ],
                "traits": [_trait("bump", "in the braking zone, right half")],
                "lanes": [_lane("start", "inside", why="three abreast do not fit between the scales")],
                "note": "First corner after the start: the tyres are cold and the brakes colder.",
            },
        ),
        Note("T2", {"limits": [_limit("inside, behind the bollard")], "traits": [_trait("crest", "apex")]}),
        Note(
            "T3",
            {
                "limits": [_limit("exit", "slow-down")],
                "kerbs": [
                    _kerb("inside, first half", "use"),
                    _kerb("inside, second half", "never", "a raised manhole unsettles the car"),
                ],
                "traits": [_trait("off-camber", "second half"), _trait("dirt", "outside line")],
                "passing": [_pass("left", "medium", "both run wide into the nets")],
            },
        ),
        Note(
            "T4",
            {
                "move": "Tar and Slip",
                "limits": [_limit("exit", rules=_OLD_RULES)],
                "traits": [_trait("grip", "new asphalt from the apex on")],
            },
        ),
        Note(
            "T5",
            {
                "move": "Tar and Slip",
                "limits": [_limit("exit wall", "nothing", "any part")],
                "kerbs": [_kerb("exit", "never", "launches the inside wheel into the wall")],
                "traits": [_trait("compression", "at the ramp")],
            },
        ),
        Note(
            "T6",
            {
                "other_names": ["The Steps"],
                "limits": [_limit("entry, short cut over the steps", "void", "any wheel")],
                "traits": [_trait("blind", "until the lantern"), _trait("bump", "where the tram rails cross")],
                "passing": [
                    _pass(
                        "right",
                        "high",
                        "no room when the one ahead brakes early",
                        "when somebody dives: the exit brings it back",
                    )
                ],
            },
        ),
        Note("T7", {"traits": [_trait("flat")], "limits": [_limit("exit")]}),
        Note(
            "T8",
            {
                "limits": [_limit("exit, on the quay stones")],
                "traits": [_trait("on-camber"), _trait("dirt", "salt after rain")],
            },
        ),
        Note("T9", {"passing": [_pass("left", "medium")], "importance": "high"}),
    ),
    references=(
        Written(
            "T1",
            "braking",
            "board",
            "second tide board",
            {"side": "left", "offset_m": 6.0, "sure": "firm"},
            ("start", 0),
        ),
        Written(
            "T1",
            "braking",
            "board",
            "first tide board",
            {"side": "left", "variant": "cold", "sure": "likely"},
            ("start", -20),
        ),
        Written(
            "T1",
            "braking",
            "car part",
            "wiper points at the crane",
            {"variant": "pushed", "sure": "thin"},
            proposed=True,
            by_driver=True,
        ),
        Written(
            "T1",
            "turn-in",
            "line",
            "end of the loading bay line",
            {"side": "on the road", "sure": "firm"},
            ("apex", -16),
        ),
        Written("T1", "apex", "kerb", "yellow kerb stone", {"side": "right", "sure": "firm"}, ("apex", 0)),
        Written("T1", "apex", "feel", "", {"gear": 2, "brake_peak_pct": 85.0}, car=_EC2),
        Written("T1", "apex", "feel", "", {"gear": 3, "brake_peak_pct": 80.0}, car=_VOLANT),
        Written(
            "T1",
            "pick-up",
            "building",
            "corner of the weighhouse door",
            {"side": "right", "throttle": "squeezed"},
            ("apex", 12),
            car=_EC2,
        ),
        Written(
            "T1",
            "exit",
            "line",
            "drain cover",
            {"side": "left", "offset_words": "just short of the drain cover"},
            ("end", 0),
        ),
        Written(
            "T2", "lift", "shadow", "shadow of the crane jib", {"side": "on the road", "sure": "likely"}, ("start", 0)
        ),
        Written(
            "T3",
            "braking",
            "building",
            "green shutter",
            {"side": "right", "offset_m": -4.0, "sure": "firm"},
            ("start", 2),
        ),
        Written("T3", "apex", "feel", "", {"gear": 2}, car=_EC2),
        Written(
            "T3",
            "apex",
            "feel",
            "",
            {"gear": 1, "note": "First pulls better out of it."},
            car=_EC2,
            proposed=True,
            by_driver=True,
        ),
        Written(
            "T3",
            "pick-up",
            "sound",
            "echo of the motor from the wall",
            {"sure": "thin", "throttle": "in two steps"},
            car=_EC2,
        ),
        Written(
            "T4",
            "braking",
            "surface",
            "edge of the fresh asphalt",
            {"side": "on the road", "sure": "firm"},
            ("start", 0),
        ),
        Written(
            "T4",
            "braking",
            "bridge",
            "footbridge",
            {"side": "above", "offset_m": 9.0, "variant": "traffic"},
            ("start", -6),
        ),
        Written(
            "T4",
            "braking",
            "board",
            "",
            {"brake_peak_pct": 60.0, "harder_than": "T6"},
            car=_EC2,
            proposed=True,
            by_driver=True,
        ),
        Written("T5", "turn-in", "sequence", "count of one from the apex of Tar Yard", {"sure": "likely"}),
        Written(
            "T6", "braking", "tyre mark", "darkest pair of marks", {"side": "on the road", "sure": "thin"}, ("start", 3)
        ),
        Written(
            "T6",
            "braking",
            "tree",
            "plane tree",
            {"side": "left", "offset_m": 12.0},
            ("start", 0),
            proposed=True,
            by_driver=True,
        ),
        Written("T6", "braking", "board", "", {"brake_peak_pct": 95.0, "gear": 1, "variant": "usual"}, car=_EC2),
        Written("T6", "apex", "light", "lantern", {"side": "left"}, ("apex", 0)),
        Written("T8", "braking", "people", "marshals' stand", {"side": "right", "sure": "thin"}, ("start", 0)),
        Written(
            "T8",
            "turn-in",
            "horizon",
            "mast comes free of the icehouse roof",
            {"sure": "likely"},
            own=True,
            by_driver=True,
            proposed=True,
        ),
        Written(
            "T9",
            "lift",
            "dirt line",
            "edge of the salt",
            {"side": "on the road", "variant": "wet", "sure": "thin"},
            proposed=True,
        ),
        Written("T9", "apex", "other", "second bollard", {"side": "left", "sure": "likely"}, ("apex", 0)),
    ),
    questions=(
        Question("T9", "Does anybody have something to lift by that isn't the car ahead?"),
        Question(
            "T6",
            "How do you know where to brake when the marks are washed off?",
            "the plane tree, a car and a half behind it",
        ),
        Question(None, "Does the light over the pit exit count, or only the line?"),
    ),
    pit_entry="Keep to the right from Foghorn on; the line begins before the boathouse. Sixty at the second bollard.",
    pit_exit=None,
)
_OVAL: Final = Book(
    "Gantry Pit",
    "Black Oval",
    notes=(
        Note(
            "T1",
            {
                "move": "South end",
                "limits": [_limit("inside, below the white line", "slow-down")],
                "traits": [_trait("on-camber")],
            },
        ),
        Note(
            "T2",
            {
                "move": "South end",
                "limits": [_limit("inside, below the white line", "slow-down")],
                "passing": [
                    _pass("left", "low", "the outside truck pinches on the exit", "when the nose is at the cab")
                ],
                "lanes": [
                    _lane("start", "inside", "first groove", "nobody gives room outside while tyres are cold"),
                    _lane("middle", "middle", "second groove, from lap ten on", "the first one is polished by then"),
                    _lane("end", "outside", "at the cinder’s edge", "it has taken rubber, and the exit carries"),
                ],
            },
        ),
        Note(
            "T3",
            {
                "move": "North end",
                "traits": [_trait("bump", "entry"), _trait("dirt", "above the second groove")],
                "lanes": [_lane("start", "inside"), _lane("end", "middle", "below the dirt")],
            },
        ),
        Note(
            "T4",
            {
                "move": "North end",
                "kerbs": [_kerb("apron", "never", "unloads the front")],
                "limits": [_limit("outside wall", "nothing")],
            },
        ),
    ),
    references=(
        Written("T1", "lift", "board", "end of the boiler wall", {"side": "right", "sure": "firm"}, ("start", 0)),
        Written("T1", "lift", "feel", "", {"gear": 3, "throttle": "half, then full"}, car=_HAULER),
        Written(
            "T2",
            "pick-up",
            "surface",
            "seam in the cinder",
            {"side": "on the road", "throttle": "at once", "sure": "likely"},
            car=_HAULER,
        ),
        Written(
            "T3", "lift", "shadow", "shadow of the gantry", {"side": "on the road", "sure": "likely"}, ("start", 0)
        ),
        Written("T3", "lift", "sound", "gantry hum stops", {"sure": "thin"}, proposed=True),
    ),
    questions=(Question("T4", "Do we run the second groove from lap ten on, or later?"),),
    pit_exit="Stay on the apron until the end of the south bend; the blend line is judged.",
)
_ROUND: Final = Book(
    "Vardrum Hills",
    "Great Round",
    notes=(
        Note(
            "T3",
            {"move": "Stairs", "given_up_for": "T5", "traits": [_trait("crest", "entry")], "limits": [_limit("exit")]},
        ),
        Note(
            "T4",
            {
                "move": "Stairs",
                "traits": [_trait("blind")],
                "note": "The road is narrower than it looks in the mirror.",
            },
        ),
        Note(
            "T5",
            {
                "move": "Stairs",
                "limits": [_limit("exit", "slow-down")],
                "kerbs": [_kerb("exit", "never", "gravel behind it")],
            },
        ),
        Note("T16", {"traits": [_trait("flat"), _trait("compression", "apex")], "limits": [_limit("exit")]}),
        Note(
            "T29", {"traits": [_trait("dirt", "from the farm gate on"), _trait("on-camber")], "other_names": ["Drover"]}
        ),
        Note("T32", {"traits": [_trait("flat")]}),
        Note("T48", {"traits": [_trait("flat")], "limits": [_limit("exit")]}),
        Note(
            "T56",
            {
                "traits": [_trait("bump", "bridge joint")],
                "passing": [_pass("either", "high", "there is one line over the bridge")],
            },
        ),
    ),
    references=(),
    questions=(
        Question("T18", "No marker for Blind Ewe: does anybody see anything before the crest?"),
        Question("T41", "Is the latch gate open in every session?", "no, only by day"),
    ),
)
BOOKS: Final = (_HARBOUR, _OVAL, _ROUND)

_THINGS: Final = (
    ("board", "distance board", "left", "firm"),
    ("tree", "lone rowan", "right", "likely"),
    ("building", "gable of the byre", "left", "firm"),
    ("kerb", "beginning of the kerb", "left", "likely"),
    ("surface", "patch of new asphalt", "on the road", "likely"),
    ("shadow", "shadow of the rock face", "on the road", "thin"),
    ("bridge", "cattle bridge", "above", "firm"),
    ("people", "campers' wall", "right", "thin"),
    ("sequence", "count of two from the crest", None, "likely"),
    ("line", "end of the edge line", "right", "firm"),
    ("tyre mark", "double skid", "on the road", "thin"),
)


def long_road_references(corners: int) -> Iterator[Written]:
    """What one brakes by on a road with many corners: most of it written, some only proposed, some missing."""
    for number in range(1, corners + 1):
        if number % 6 == 0 or number in (16, 18, 32, 48):
            continue
        kind, thing, side, sure = _THINGS[number % len(_THINGS)]
        values = {
            "side": side,
            "sure": sure,
            **({"offset_m": float(number % 5 * 4)} if number % 3 and kind != "sequence" else {}),
        }
        yield Written(
            f"T{number}",
            "braking",
            kind,
            thing,
            values,
            ("start", 0),
            proposed=number % 9 == 2,
            by_driver=number % 18 == 2,
        )
        if number % 4 == 1:
            yield Written(f"T{number}", "apex", "feel", "", {"gear": 2 + number % 3}, car=_P7)
