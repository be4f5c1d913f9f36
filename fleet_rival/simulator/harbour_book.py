"""The track book of the harbour."""

from typing import Final

from fleet_rival.simulator.written import (
    EC2,
    OLD_RULES,
    VOLANT,
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

__all__ = ["HARBOUR"]

HARBOUR: Final = Book(
    "Port Skerrow",
    "Fishmarket",
    notes=(
        Note(
            "T1",
            {
                "other_names": ["Scales"],
                "limits": [limit("exit, over the painted line")],
                "kerbs": [kerb("inside", "use", "low and flat"), kerb("exit", "brush", "ends in a drain cover")],
                "passing": [
                    passing("right", "low", "the outside closes on the exit", "when a car is alongside at the scales")
                ],
                "traits": [trait("bump", "in the braking zone, right half")],
                "lanes": [lane("start", "inside", why="three abreast do not fit between the scales")],
                "note": "First corner after the start: the tyres are cold and the brakes colder.",
            },
        ),
        Note("T2", {"limits": [limit("inside, behind the bollard")], "traits": [trait("crest", "apex")]}),
        Note(
            "T3",
            {
                "limits": [limit("exit", "slow-down")],
                "kerbs": [
                    kerb("inside, first half", "use"),
                    kerb("inside, second half", "never", "a raised manhole unsettles the car"),
                ],
                "traits": [trait("off-camber", "second half"), trait("dirt", "outside line")],
                "passing": [passing("left", "medium", "both run wide into the nets")],
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
                "kerbs": [kerb("exit", "never", "launches the inside wheel into the wall")],
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
                    passing(
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
        Note("T9", {"passing": [passing("left", "medium")], "importance": "high"}),
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
