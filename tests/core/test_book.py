"""The track book's rules: which corner matters, what can be trusted, what contradicts, what a lap sounds like as a
script.
"""

from dataclasses import replace
from typing import Any

import pytest

from fleet_rival.core.book.card import card
from fleet_rival.core.book.checks import Check, checks, needs_reference
from fleet_rival.core.book.corner import CornerNotes, Kerb, Limit, Trait, with_codes
from fleet_rival.core.book.importance import Importance, importances
from fleet_rival.core.book.references import LASTING, BadReference, Reference, best_of, same_place, seen_with
from fleet_rival.core.track import Corner, Sector, Track
from fleet_rival.core.words import LASTS, REFERENCE_KINDS

LIMITS = (Limit("exit", "all four wheels", "strike", "2031-2"),)


def made_track(*stretches: tuple[float, float], length: float = 1000.0) -> Track:
    """A track of corners, each given by start and end."""
    corners = tuple(Corner(f"T{n}", start, (start + end) / 2, end) for n, (start, end) in enumerate(stretches, 1))
    return Track("Quernholm", "Short", "street", length, (Sector("S1", 0.0),), corners)


TRACK = made_track((100, 150), (200, 250), (600, 650))
"""Straights of 50, 350 and 450 m behind the corners."""


def reference(key: str, corner: str = "T1", **values: Any) -> Reference:
    return Reference(
        **{
            "key": key,
            "corner": corner,
            "point": "braking",
            "kind": "board",
            "thing": "second board",
            "state": "confirmed",
            **values,
        }
    )


def plain_notes(*codes: str, **values: Any) -> list[CornerNotes]:
    return [CornerNotes(code, **{"limits": LIMITS, **values}) for code in codes or ("T1", "T2", "T3")]


def found(
    references: list[Reference], notes: list[CornerNotes] | None = None, car: str | None = "Truck", **options: Any
) -> list[Check]:
    notes = plain_notes() if notes is None else notes
    return checks(notes, references, importances(TRACK, {}), car, **options)


class TestImportance:
    def test_it_follows_the_straight_behind_a_corner_also_across_the_line(self) -> None:
        made = importances(TRACK, {})
        assert [(item.stretch_m, item.feeds, item.rank) for item in made.values()] == [
            (50, "T2", 3),
            (350, "T3", 2),
            (450, "T1", 1),
        ]
        assert [item.level for item in made.values()] == ["low", "medium", "high"]
        assert all(item.seconds is None for item in made.values())

    def test_time_counts_before_metres_where_segments_were_timed(self) -> None:
        # The straight behind T2 is shorter but slower: uphill, say.
        times = {"L0": 4e6, "T1": 5e6, "T2": 40e6, "T3": 20e6}
        made = importances(TRACK, times)
        assert made["T2"].seconds == pytest.approx(40 * 350 / 400)
        # From 650 to the line at T3's mean speed, then L0's.
        assert made["T3"].seconds == pytest.approx(20 * 350 / 400 + 4)
        assert [made[code].rank for code in ("T2", "T3", "T1")] == [1, 2, 3]

    def test_a_corner_taken_flat_does_not_end_the_stretch(self) -> None:
        made = importances(TRACK, {}, flat={"T3"})
        assert (made["T2"].stretch_m, made["T2"].feeds) == (850, "T1")

    def test_what_people_say_counts_and_the_derived_level_stays_to_be_seen(self) -> None:
        made = importances(TRACK, {}, said={"T1": "high", "T2": None})
        assert (made["T1"].level, made["T1"].derived, made["T2"].level) == ("high", "low", "medium")

    def test_a_corner_that_runs_into_the_next_one_feeds_nothing(self) -> None:
        made = importances(made_track((100, 200), (200, 300)), {})
        assert (made["T1"].stretch_m, made["T1"].level) == (0, "low")

    def test_one_corner_alone_and_one_across_the_line(self) -> None:
        assert importances(made_track((100, 300)), {})["T1"].stretch_m == 800
        round_the_line = replace(TRACK, corners=(*TRACK.corners[:2], Corner("T3", 900, 980, 40)))
        assert importances(round_the_line, {})["T3"].stretch_m == 60


class TestReferences:
    def test_each_kind_lasts_in_some_way(self) -> None:
        assert set(LASTING) == set(REFERENCE_KINDS) and set(LASTING.values()) == set(LASTS)

    @pytest.mark.parametrize("values", [{"gear": 2}, {"brake_peak_pct": 80.0}, {"throttle": "squeezed"}])
    def test_numbers_belong_to_a_car(self, values: dict[str, Any]) -> None:
        with pytest.raises(BadReference, match="belong to a car"):
            reference("a", **values)
        assert reference("a", car="Truck", thing="", **values).car == "Truck"

    def test_a_reference_says_something(self) -> None:
        with pytest.raises(BadReference, match="say what one goes by"):
            reference("a", thing="")

    def test_another_cars_numbers_are_shown_until_this_car_has_its_own(self) -> None:
        landmark, theirs = reference("a"), reference("b", car="Truck", gear=3)
        seen = seen_with([landmark, theirs, reference("c", car="Truck", state="proposed", gear=4)], "Van")
        assert [(item.reference.key, item.from_car) for item in seen] == [("a", None), ("b", "Truck")]
        own = reference("d", car="Van", gear=2, state="proposed")
        assert [item.reference.key for item in seen_with([landmark, theirs, own], "Van")] == ["a", "d"]
        assert [item.reference.key for item in seen_with([landmark, theirs, replace(own, variant="wet")], "Van")] == [
            "a",
            "b",
            "d",
        ]
        assert seen_with([reference("e", state="declined"), reference("f", state="replaced")], "Van") == []

    def test_a_driver_goes_by_the_own_before_the_cars_before_the_tracks(self) -> None:
        track, car = reference("a"), reference("b", car="Truck")
        own, colleague = (
            reference("c", car="Truck", driver="Ada", state="proposed"),
            reference("d", car="Truck", driver="Bo"),
        )
        cold = reference("e", variant="cold", state="confirmed")
        everything = [track, car, own, colleague, cold]

        def best(car: str | None, driver: str | None, variant: Any = "usual") -> str | None:
            item = best_of(everything, "T1", "braking", car, driver, variant)
            return item.key if item else None

        assert (best("Truck", "Ada"), best("Truck", None), best("Van", "Ada"), best(None, None)) == ("c", "b", "a", "a")
        assert (best("Truck", "Ada", "cold"), best("Truck", "Ada", "wet")) == ("e", "c")
        assert best_of(everything, "T1", "apex", "Truck", "Ada") is None

    def test_a_landmark_is_told_with_the_numbers_of_the_car(self) -> None:
        landmark, numbers = (
            reference("a", sure="firm"),
            reference("b", car="Truck", thing="", gear=2, brake_peak_pct=80.0),
        )
        wet = reference("c", car="Truck", thing="", gear=3, variant="wet")
        told = best_of([numbers, landmark, wet], "T1", "braking", "Truck", None)
        assert told == replace(landmark, car="Truck", gear=2, brake_peak_pct=80.0)
        told = best_of([numbers, landmark, wet], "T1", "braking", "Truck", None, "wet")
        assert told is not None and (told.thing, told.gear, told.brake_peak_pct) == ("second board", 3, 80.0)
        assert best_of([numbers, landmark], "T1", "braking", "Van", None) == landmark
        assert best_of([numbers], "T1", "braking", "Truck", None) == numbers
        own = reference("d", car="Truck", gear=4)
        assert best_of([numbers, landmark, own], "T1", "braking", "Truck", None) == replace(own, brake_peak_pct=80.0)
        proposed = replace(landmark, state="proposed")
        assert best_of([proposed, numbers], "T1", "braking", "Truck", None) == proposed, (
            "what isn't confirmed isn't mixed with what is"
        )

    def test_only_one_can_be_confirmed_for_the_same_place(self) -> None:
        first = reference("a", car="Truck", driver="Ada")
        assert same_place(first, replace(first, key="b", thing="tree", gear=3))
        assert not any(
            same_place(first, replace(first, **{name: value}))
            for name, value in [("corner", "T2"), ("point", "lift"), ("variant", "wet")]
        )
        assert not same_place(first, replace(first, car=None)) and not same_place(first, replace(first, driver=None))


class TestChecks:
    def test_nothing_is_asked_of_a_book_that_has_it_all(self) -> None:
        assert found([reference(code, code) for code in ("T1", "T2", "T3")]) == []

    def test_corners_without_a_braking_reference_come_by_importance(self) -> None:
        assert [(check.kind, check.corner) for check in found([])] == [
            ("no-braking", "T3"),
            ("no-braking", "T2"),
            ("no-braking", "T1"),
        ]

    @pytest.mark.parametrize(
        "values",
        [
            {"driver": "Ada"},
            {"variant": "wet"},
            {"car": "Van"},
            {"state": "declined"},
            {"state": "replaced"},
            {"point": "apex"},
            {"thing": "", "car": "Truck", "gear": 3},
        ],
    )
    def test_what_not_everybody_can_brake_by_is_none(self, values: dict[str, Any]) -> None:
        notes = plain_notes("T1")
        assert [check.kind for check in found([reference("a", **values)], notes)] == ["no-braking"]
        assert needs_reference(notes, [reference("a", **values)], "Truck") == ["T1"]

    def test_a_proposal_is_told_apart_from_nothing_and_a_lift_is_enough(self) -> None:
        assert found([reference("a", state="proposed")], plain_notes("T1")) == [
            Check("only-proposed", "T1", references=("a",))
        ]
        assert found([reference("a", point="lift")], plain_notes("T1")) == []

    def test_a_corner_taken_flat_needs_none(self) -> None:
        notes = plain_notes("T1", traits=(Trait("flat"),))
        assert found([], notes) == [] and needs_reference(notes, [], "Truck") == []

    def test_one_that_will_not_last_is_told_until_one_that_does_stands_beside_it(self) -> None:
        shadow = reference("a", kind="shadow", lasts="time-of-day")
        assert found([shadow], plain_notes("T1")) == [
            Check("weak-braking", "T1", references=("a",), values=("time-of-day",))
        ]
        assert found([shadow, reference("b", car="Truck")], plain_notes("T1")) == []
        both = found([shadow, reference("b", kind="kerb", lasts="traffic")], plain_notes("T1"))
        assert both[0].values == ("time-of-day", "traffic")

    def test_two_gears_for_one_apex_in_one_car(self) -> None:
        second = reference("a", point="apex", car="Truck", gear=2)
        third = reference("b", point="apex", car="Truck", gear=3, state="proposed")
        braking = reference("c")
        assert found([second, third, braking], plain_notes("T1")) == [
            Check("two-gears", "T1", references=("a", "b"), values=("2", "3"))
        ]
        for change in (
            {"gear": 2},
            {"car": "Van"},
            {"variant": "wet"},
            {"driver": "Ada"},
            {"state": "declined"},
            {"corner": "T2"},
            {"point": "exit"},
        ):
            assert [
                check.kind for check in found([second, replace(third, **change), braking], plain_notes("T1"))
            ] == [], change
        assert len(found([second, third, replace(second, key="d", gear=4), braking], plain_notes("T1"))) == 1

    def test_harder_here_than_there_and_there_than_here(self) -> None:
        first, second = reference("a", harder_than="T2"), reference("b", "T2", harder_than="T1")
        assert [check for check in found([first, second], plain_notes("T1", "T2")) if check.kind == "harder"] == [
            Check("harder", "T1", "T2", ("a", "b"))
        ]
        assert not [
            check
            for check in found([first, replace(second, variant="wet")], plain_notes("T1", "T2"))
            if check.kind == "harder"
        ]

    def test_harder_in_words_and_softer_in_numbers(self) -> None:
        said = reference("a", car="Truck", harder_than="T2", brake_peak_pct=60.0)
        other = reference("b", "T2", car="Truck", brake_peak_pct=85.0)
        told = [check for check in found([said, other], plain_notes("T1", "T2")) if check.kind == "harder"]
        assert told == [Check("harder", "T1", "T2", ("a", "b"), ("60", "85"))]
        for peak in (55.0, 60.0, 64.0):
            assert not [
                c
                for c in found([said, replace(other, brake_peak_pct=peak)], plain_notes("T1", "T2"))
                if c.kind == "harder"
            ]
        in_words = replace(said, brake_peak_pct=None)
        peak = reference("c", car="Truck", point="turn-in", brake_peak_pct=60.0)
        told = [check for check in found([in_words, peak, other], plain_notes("T1", "T2")) if check.kind == "harder"]
        assert told == [Check("harder", "T1", "T2", ("a", "c", "b"), ("60", "85"))]

    def test_limits_nobody_read_or_read_in_other_rules(self) -> None:
        brakes = [reference("a")]
        assert [check.kind for check in found(brakes, plain_notes("T1", limits=()))] == ["limits-unknown"]
        assert found(brakes, plain_notes("T1"), rules="2031-3") == [
            Check("limits-old", "T1", values=("2031-2", "2031-3"))
        ]
        assert found(brakes, plain_notes("T1"), rules="2031-2") == [] == found(brakes, plain_notes("T1"), rules=None)

    def test_an_unread_pit_exit_stands_among_what_matters_most(self) -> None:
        kinds = [(check.kind, check.corner) for check in found([], pit_exit_read=False)]
        assert kinds == [("pit-exit", None), ("no-braking", "T3"), ("no-braking", "T2"), ("no-braking", "T1")]


class TestCard:
    def test_it_is_a_line_a_corner_with_what_to_mind(self) -> None:
        notes = [
            CornerNotes(
                "T1",
                traits=(Trait("crest"), Trait("flat")),
                kerbs=(Kerb("exit", "never", "unsettles"), Kerb("entry", "use")),
                limits=LIMITS,
            ),
            CornerNotes("T2", given_up_for="T3", limits=(Limit("exit", "one wheel", "nothing"),)),
            CornerNotes("T3"),
        ]
        references = [
            reference("a", "T2"),
            reference("b", "T2", point="apex", thing="kerb end"),
            reference("c", "T2", state="proposed", thing="tree"),
        ]
        lines = card({"T1": "Boiler"}, notes, references, importances(TRACK, {}), "Truck")
        assert [(line.code, line.name, line.level, line.is_flat) for line in lines] == [
            ("T1", "Boiler", "low", True),
            ("T2", None, "medium", False),
            ("T3", None, "high", False),
        ]
        assert [item.key for item in lines[1].go_by] == ["a", "b"] and lines[1].linked == "T3" and lines[1].limits == ()
        assert [trait.kind for trait in lines[0].traits] == ["crest"] and [kerb.where for kerb in lines[0].never] == [
            "exit"
        ]
        assert lines[0].limits == LIMITS and lines[2].go_by == ()


def test_notes_follow_their_corners_to_other_codes() -> None:
    notes = CornerNotes("T2", given_up_for="T3")
    assert with_codes(notes, {"T2": "T2a", "T3": "T4"}) == CornerNotes("T2a", given_up_for="T4")
    assert with_codes(notes, {}) == notes
    assert isinstance(importances(TRACK, {})["T1"], Importance)
