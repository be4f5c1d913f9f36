"""What holds of any track book, whatever is written in it."""

from dataclasses import replace
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.book.card import card
from fleet_rival.core.book.checks import checks, needs_reference
from fleet_rival.core.book.corner import CornerNotes, Limit, Trait
from fleet_rival.core.book.importance import importances
from fleet_rival.core.book.references import LASTING, Reference, best_of, same_place, seen_with
from fleet_rival.core.track import Corner, Sector, Track
from fleet_rival.core.words import BOOK_CHECKS, LEVELS, POINTS, REFERENCE_KINDS, SURE, VARIANTS
from fleet_rival.wording.book import card_words, check_words, importance_words

CODES = ("T1", "T2", "T3", "T4")
references = st.lists(
    st.builds(
        lambda corner, point, kind, thing, car, driver, variant, state, sure, gear, peak, harder: {
            "corner": corner,
            "point": point,
            "kind": kind,
            "thing": thing,
            "car": car,
            "driver": driver,
            "variant": variant,
            "state": state,
            "sure": sure,
            "gear": gear if car else None,
            "brake_peak_pct": peak if car else None,
            "harder_than": "" if harder == corner else harder,
            "lasts": LASTING[kind],
        },
        st.sampled_from(CODES),
        st.sampled_from(POINTS),
        st.sampled_from(REFERENCE_KINDS),
        st.sampled_from(["oak", "board", "kerb end"]),
        st.sampled_from([None, "Van", "Truck"]),
        st.sampled_from([None, None, "Ada"]),
        st.sampled_from(VARIANTS[:3]),
        st.sampled_from(["proposed", "confirmed", "replaced", "declined"]),
        st.sampled_from(SURE),
        st.none() | st.integers(1, 4),
        st.none() | st.sampled_from([40.0, 60.0, 90.0]),
        st.sampled_from(["", "", *CODES]),
    ),
    max_size=12,
).map(lambda items: [Reference(key=f"r{index}", **item) for index, item in enumerate(items)])
notes = st.lists(st.tuples(st.booleans(), st.sampled_from([(), ("2031-1",), ("2031-2",)])), min_size=4, max_size=4).map(
    lambda items: [
        CornerNotes(
            code,
            traits=(Trait("flat"),) if flat else (),
            limits=tuple(Limit("exit", "wheels", "strike", rules) for rules in limits),
        )
        for code, (flat, limits) in zip(CODES, items, strict=True)
    ]
)
gaps = st.lists(st.tuples(st.integers(5, 60), st.integers(0, 400)), min_size=4, max_size=4)


def track(lengths: list[tuple[int, int]]) -> Track:
    """Corners of some length, each followed by a straight."""
    corners, at = [], 50.0
    for code, (bend, straight) in zip(CODES, lengths, strict=True):
        corners.append(Corner(code, at, at + bend / 2, at + bend))
        at += bend + straight
    return Track("Quernholm", "Short", "street", at + 100, (Sector("S1", 0.0),), tuple(corners))


@given(
    gaps,
    st.sets(st.sampled_from(CODES), max_size=3),
    st.none() | st.lists(st.integers(1, 10**8), min_size=5, max_size=5),
)
@settings(deadline=None, max_examples=40)
def test_every_metre_at_full_throttle_is_some_corners(
    lengths: list[tuple[int, int]], flat: set[str], times: list[int] | None
) -> None:
    place = track(lengths)
    segments = dict(zip(("L0", *CODES), times, strict=True)) if times else {}
    made = importances(place, segments, flat)
    ranks = sorted(item.rank for item in made.values())
    assert ranks == [1, 2, 3, 4] and list(made) == list(CODES)
    if not flat:
        straights = place.length_m - sum(corner.end_m - corner.start_m for corner in place.corners)
        assert abs(sum(item.stretch_m for item in made.values()) - straights) < 1e-6
    by_rank = sorted(made.values(), key=lambda item: item.rank)
    levels = [LEVELS.index(item.level) for item in by_rank]
    assert levels == sorted(levels), "what is longer doesn't matter less"
    weights = [item.seconds if times else item.stretch_m for item in by_rank]
    assert weights == sorted(weights, key=lambda weight: -(weight or 0))
    assert all(importance_words(item, 4).endswith(".") for item in made.values())


@given(gaps, st.integers(2, 5), st.lists(st.integers(1, 10**7), min_size=5, max_size=5))
@settings(deadline=None, max_examples=40)
def test_a_slower_car_changes_no_rank(lengths: list[tuple[int, int]], factor: int, times: list[int]) -> None:
    place, codes = track(lengths), ("L0", *CODES)
    quick = importances(place, dict(zip(codes, times, strict=True)))
    slow = importances(place, {code: factor * time for code, time in zip(codes, times, strict=True)})
    assert [item.rank for item in quick.values()] == [item.rank for item in slow.values()]
    assert [item.level for item in quick.values()] == [item.level for item in slow.values()]


@given(
    notes,
    references,
    st.sampled_from([None, "Van", "Truck"]),
    st.sampled_from([None, "2031-1"]),
    st.booleans(),
    st.randoms(use_true_random=False),
)
@settings(deadline=None, max_examples=50)
def test_checks_follow_from_what_is_written_and_not_from_its_order(
    said: list[CornerNotes], written: list[Reference], car: str | None, rules: str | None, read: bool, random: Any
) -> None:
    matters = importances(track([(30, 100), (30, 200), (30, 300), (30, 50)]), {})
    told = checks(said, written, matters, car, rules=rules, pit_exit_read=read)
    shuffled = random.sample(written, len(written))
    again = checks(said, shuffled, matters, car, rules=rules, pit_exit_read=read)
    plain = [{(item.kind, item.corner) for item in found if item.kind != "harder"} for found in (told, again)]
    assert plain[0] == plain[1]
    pairs = [
        {frozenset((item.corner, item.other)) for item in found if item.kind == "harder"} for found in (told, again)
    ]
    assert pairs[0] == pairs[1]
    assert len({(item.kind, item.corner, item.other) for item in told}) == len(told)
    places = [
        (-1, -1) if item.corner is None else (LEVELS.index(matters[item.corner].level), matters[item.corner].rank)
        for item in told
    ]
    assert places == sorted(places), "by importance"
    assert all(item.kind in BOOK_CHECKS and check_words(item).endswith(".") for item in told)
    keys = {item.key for item in written if item.is_open and item.car in (None, car)}
    assert all(set(item.references) <= keys for item in told), "only of what stands, for this car"
    missing = {item.corner for item in told if item.kind in ("no-braking", "only-proposed")}
    assert missing == set(needs_reference(said, written, car))
    assert not missing & {note.code for note in said if note.is_flat}


@given(notes, references, st.sampled_from(CODES))
@settings(deadline=None, max_examples=40)
def test_a_confirmed_board_for_everybody_ends_what_is_asked_of_braking(
    said: list[CornerNotes], written: list[Reference], corner: str
) -> None:
    matters = importances(track([(30, 100)] * 4), {})
    board = Reference("new", corner, "braking", "board", "board", state="confirmed")
    kinds = {item.kind for item in checks(said, [*written, board], matters, None) if item.corner == corner}
    assert not kinds & {"no-braking", "only-proposed", "weak-braking"}


@given(references, st.sampled_from([None, "Van", "Truck"]))
@settings(deadline=None, max_examples=40)
def test_what_is_seen_with_a_car_is_its_own_the_tracks_or_to_be_taken_over(
    written: list[Reference], car: str | None
) -> None:
    seen = seen_with(written, car)
    shown = [item.reference for item in seen]
    assert [item for item in written if item in shown] == shown and all(item.is_open for item in shown)
    for item in seen:
        assert (item.from_car is None) == (item.reference.car in (None, car))
        if item.from_car:
            assert item.reference.state == "confirmed"
            taken = replace(item.reference, car=car) if car else None
            own = [other for other in shown if other.car == car and car is not None]
            assert taken is None or not any(same_place(taken, other) for other in own)
    assert {item.key for item in written if item.is_open and item.car is None} <= {item.key for item in shown}


@given(
    references,
    st.sampled_from(CODES),
    st.sampled_from(POINTS),
    st.sampled_from([None, "Van"]),
    st.sampled_from([None, "Ada", "Bo"]),
)
@settings(deadline=None, max_examples=40)
def test_a_driver_is_told_what_stands_for_them_and_never_anothers(
    written: list[Reference], corner: str, point: Any, car: str | None, driver: str | None
) -> None:
    best = best_of(written, corner, point, car, driver)
    fitting = [
        item
        for item in written
        if item.corner == corner and item.point == point and item.is_open and item.variant == "usual"
    ]
    fitting = [item for item in fitting if item.car in (None, car) and item.driver in (None, driver)]
    assert (best is None) == (not fitting)
    if best:
        source = next(item for item in fitting if item.key == best.key)
        assert (source.thing, source.state, source.driver) == (best.thing, best.state, best.driver)
        own = [item for item in fitting if item.driver == driver and driver is not None]
        assert not own or best.driver == driver
        others = [item for item in fitting if item.driver is None]
        if best.driver is None and any(item.state == "confirmed" for item in others):
            assert best.state == "confirmed"


@given(notes, references, st.sampled_from([None, "Van"]), st.sampled_from(VARIANTS[:3]))
@settings(deadline=None, max_examples=40)
def test_every_card_can_be_read_out(
    said: list[CornerNotes], written: list[Reference], car: str | None, variant: Any
) -> None:
    lines = card({}, said, written, importances(track([(30, 100)] * 4), {}), car, "Ada", variant)
    assert [line.code for line in lines] == list(CODES)
    for line in lines:
        words = card_words(line)
        assert words.endswith(".") and "None" not in words and "  " not in words
        assert len({item.point for item in line.go_by}) == len(line.go_by)
