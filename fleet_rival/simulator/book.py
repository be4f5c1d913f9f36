"""What the demo's team has written into its track book: complete on the harbour, half done on the oval, begun on the
long road.
"""

from collections.abc import Iterator
from typing import Final

from fleet_rival.simulator.harbour_book import HARBOUR
from fleet_rival.simulator.written import (
    Book,
    Note,
    Question,
    Written,
    kerb,
    lane,
    limit,
    passing,
    trait,
)

__all__ = ["BOOKS", "long_road_references"]


_HAULER: Final = "Grindle Hauler"
_P7: Final = "Halvane P7"

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
                    passing("left", "low", "the outside truck pinches on the exit", "when the nose is at the cab")
                ],
                "lanes": [
                    lane("start", "inside", "first groove", "nobody gives room outside while tyres are cold"),
                    lane("middle", "middle", "second groove, from lap ten on", "the first one is polished by then"),
                    lane("end", "outside", "at the cinder’s edge", "it has taken rubber, and the exit carries"),
                ],
            },
        ),
        Note(
            "T3",
            {
                "move": "North end",
                "traits": [trait("bump", "entry"), trait("dirt", "above the second groove")],
                "lanes": [lane("start", "inside"), lane("end", "middle", "below the dirt")],
            },
        ),
        Note(
            "T4",
            {
                "move": "North end",
                "kerbs": [kerb("apron", "never", "unloads the front")],
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
                "kerbs": [kerb("exit", "never", "gravel behind it")],
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
                "passing": [passing("either", "high", "there is one line over the bridge")],
            },
        ),
    ),
    references=(),
    questions=(
        Question("T18", "No marker for Blind Ewe: does anybody see anything before the crest?"),
        Question("T41", "Is the latch gate open in every session?", "no, only by day"),
    ),
)
BOOKS: Final = (HARBOUR, _OVAL, _ROUND)

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
