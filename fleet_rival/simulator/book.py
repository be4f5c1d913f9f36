"""What the demo's team has written into its track book: complete on the harbour, half done on the oval, begun on the
long road.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any, Final
from fleet_rival.simulator.written import Book, EC2, Note, OLD_RULES, Question, VOLANT, Written, _kerb, _lane, limit, pass, trait

__all__ = ["BOOKS", "long_road_references"]





















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
                "limits": [limit("exit, over the painted line")],
                "kerbs": [_kerb("inside", "use", "low and flat"), _kerb("exit", "brush", "ends in a drain cover")],
                "passing": [
                    pass("right", "low", "the outside closes on the exit", "when a car is alongside at the scales")
                ],
                "traits": [trait("bump", "in the braking zone, right half")],
                "lanes": [_lane("start", "inside", why="three abreast do not fit between the scales")],
                "note": "First corner after the start: the tyres are cold and the brakes colder.",
            },
        ),
        Note("T2", {"limits": [limit("inside, behind the bollard")], "traits": [trait("crest", "apex")]}),
        Note(
            "T3",
            {
                "limits": [limit("exit", "slow-down")],
                "kerbs": [
                    _kerb("inside, first half", "use"),
                    _kerb("inside, second half", "never", "a raised manhole unsettles the car"),
                ],
                "traits": [trait("off-camber", "second half"), trait("dirt", "outside line")],
                "passing": [pass("left", "medium", "both run wide into the nets")],
            },
        ),
        Note(
            "T4",
            {
                "move": "Tar and Slip",
                "limits": [limit("exit", rules=OLD_RULES)],
                "traits": [trait("grip", "new asphalt from the apex on")],
            },
        ),
        Note(
            "T5",
            {
                "move": "Tar and Slip",
                "limits": [limit("exit wall", "nothing", "any part")],
                "kerbs": [_kerb("exit", "never", "launches the inside wheel into the wall")],
                "traits": [trait("compression", "at the ramp")],
            },
        ),
        Note(
            "T6",
            {
                "other_names": ["The Steps"],
                "limits": [limit("entry, short cut over the steps", "void", "any wheel")],
                "traits": [trait("blind", "until the lantern"), trait("bump", "where the tram rails cross")],
                "passing": [
                    pass(
                        "right",
                        "high",
                        "no room when the one ahead brakes early",
                        "when somebody dives: the exit brings it back",
                    )
                ],
            },
        ),
        Note("T7", {"traits": [trait("flat")], "limits": [limit("exit")]}),
        Note(
            "T8",
            {
                "limits": [limit("exit, on the quay stones")],
                "traits": [trait("on-camber"), trait("dirt", "salt after rain")],
            },
        ),
        Note("T9", {"passing": [pass("left", "medium")], "importance": "high"}),
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
        Written("T1", "apex", "feel", "", {"gear": 2, "brake_peak_pct": 85.0}, car=EC2),
        Written("T1", "apex", "feel", "", {"gear": 3, "brake_peak_pct": 80.0}, car=VOLANT),
        Written(
            "T1",
            "pick-up",
            "building",
            "corner of the weighhouse door",
            {"side": "right", "throttle": "squeezed"},
            ("apex", 12),
            car=EC2,
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
        Written("T3", "apex", "feel", "", {"gear": 2}, car=EC2),
        Written(
            "T3",
            "apex",
            "feel",
            "",
            {"gear": 1, "note": "First pulls better out of it."},
            car=EC2,
            proposed=True,
            by_driver=True,
        ),
        Written(
            "T3",
            "pick-up",
            "sound",
            "echo of the motor from the wall",
            {"sure": "thin", "throttle": "in two steps"},
            car=EC2,
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
            car=EC2,
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
        Written("T6", "braking", "board", "", {"brake_peak_pct": 95.0, "gear": 1, "variant": "usual"}, car=EC2),
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
                "limits": [limit("inside, below the white line", "slow-down")],
                "traits": [trait("on-camber")],
            },
        ),
        Note(
            "T2",
            {
                "move": "South end",
                "limits": [limit("inside, below the white line", "slow-down")],
                "passing": [
                    pass("left", "low", "the outside truck pinches on the exit", "when the nose is at the cab")
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
                "traits": [trait("bump", "entry"), trait("dirt", "above the second groove")],
                "lanes": [_lane("start", "inside"), _lane("end", "middle", "below the dirt")],
            },
        ),
        Note(
            "T4",
            {
                "move": "North end",
                "kerbs": [_kerb("apron", "never", "unloads the front")],
                "limits": [limit("outside wall", "nothing")],
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
            {"move": "Stairs", "given_up_for": "T5", "traits": [trait("crest", "entry")], "limits": [limit("exit")]},
        ),
        Note(
            "T4",
            {
                "move": "Stairs",
                "traits": [trait("blind")],
                "note": "The road is narrower than it looks in the mirror.",
            },
        ),
        Note(
            "T5",
            {
                "move": "Stairs",
                "limits": [limit("exit", "slow-down")],
                "kerbs": [_kerb("exit", "never", "gravel behind it")],
            },
        ),
        Note("T16", {"traits": [trait("flat"), trait("compression", "apex")], "limits": [limit("exit")]}),
        Note(
            "T29", {"traits": [trait("dirt", "from the farm gate on"), trait("on-camber")], "other_names": ["Drover"]}
        ),
        Note("T32", {"traits": [trait("flat")]}),
        Note("T48", {"traits": [trait("flat")], "limits": [limit("exit")]}),
        Note(
            "T56",
            {
                "traits": [trait("bump", "bridge joint")],
                "passing": [pass("either", "high", "there is one line over the bridge")],
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
