"""The demo's track book: references of all kinds, some proposed, some doubtful; of three tracks of three kinds."""

import pytest

from fleet_rival.core.book.references import LASTING
from fleet_rival.core.words import (
    COSTS,
    KERB_USES,
    LANES,
    LASTS,
    PASSING_SIDES,
    POINTS,
    RACE_PHASES,
    REFERENCE_KINDS,
    REFERENCE_SIDES,
    RISKS,
    SURE,
    THROTTLES,
    TRAITS,
    VARIANTS,
)
from fleet_rival.simulator.book import BOOKS, long_road_references
from fleet_rival.simulator.league import league
from fleet_rival.simulator.places import CARS, GREAT_ROUND, PLACES
from fleet_rival.simulator.road import lay_out
from fleet_rival.simulator.written import Written

ALL: list[Written] = [item for book in BOOKS for item in book.references] + list(long_road_references(64))
CORNERS = {
    (place.track, place.layout): [piece.code for piece in place.pieces if piece.code]
    for place in (*(place for places in PLACES.values() for place in places), GREAT_ROUND)
}


def test_the_long_road_is_long_has_many_corners_and_closes() -> None:
    road = lay_out(GREAT_ROUND.pieces)
    names = [piece.name for piece in GREAT_ROUND.pieces if piece.code]
    assert road.length_m > 15_000 and len(names) == len(set(names)) == 64
    kinds = {place.kind for places in PLACES.values() for place in places}
    assert kinds == {"street", "road", "oval"} and {book.track for book in BOOKS} == {
        place[0].track for place in PLACES.values()
    }


def test_all_kinds_and_ways_to_last_are_there_some_proposed_some_doubtful() -> None:
    assert {item.kind for item in ALL} == set(REFERENCE_KINDS)
    assert {LASTING[item.kind] for item in ALL} == set(LASTS)  # type: ignore[index]
    assert {item.point for item in ALL} == set(POINTS)
    assert {item.values.get("sure", "likely") for item in ALL} == set(SURE)
    assert {item.values.get("variant", "usual") for item in ALL} >= {"usual", "cold", "wet", "traffic", "pushed"}
    assert any(item.proposed for item in ALL) and any(item.own for item in ALL) and any(item.car for item in ALL)


@pytest.mark.parametrize("book", BOOKS, ids=lambda book: book.layout)
def test_what_is_written_is_of_corners_that_are_there_in_words_that_are_known(book) -> None:  # type: ignore[no-untyped-def]
    codes = CORNERS[book.track, book.layout]
    written = book.references or tuple(long_road_references(len(codes)))
    cars = {car.name for models in CARS.values() for car in models}
    for item in written:
        assert item.corner in codes and item.values.get("harder_than", codes[0]) in codes
        assert item.values.get("side") in (*REFERENCE_SIDES, None) and item.values.get("throttle") in (*THROTTLES, None)
        assert item.values.get("variant", "usual") in VARIANTS and item.car in (*cars, None)
    for note in book.notes:
        assert note.corner in codes
        assert all(trait["kind"] in TRAITS for trait in note.values.get("traits", ()))
        assert all(kerb["use"] in KERB_USES for kerb in note.values.get("kerbs", ()))
        assert all(limit["cost"] in COSTS for limit in note.values.get("limits", ()))
        assert all(way["phase"] in RACE_PHASES and way["lane"] in LANES for way in note.values.get("lanes", ()))
        assert all(way["side"] in PASSING_SIDES and way["risk"] in RISKS for way in note.values.get("passing", ()))
    assert all(question.corner in (*codes, None) for question in book.questions)


def test_the_long_road_is_driven_in_a_week_that_comes_and_known_already(monkeypatch: pytest.MonkeyPatch) -> None:
    from datetime import date

    from fleet_rival.simulator import league as module

    monkeypatch.setattr(module, "_practice", lambda week, seed, running: None)
    made = league(date(2031, 4, 20))
    assert [week.number for week in made.weeks if week.place is GREAT_ROUND] == [5]
    assert [(track.layout, len(track.corners), track.pit is not None) for track in made.tracks] == [
        ("Great Round", 64, True)
    ]
