"""Which rows are the same lap, and which run a lap belongs to."""

from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.core.laps.lap import Lap, natural_key
from fleet_rival.core.laps.order import following, identify, in_order
from tests.making import lap, whole_lap

NOON = datetime(2031, 3, 4, 12, tzinfo=UTC)


def outing(start: datetime | None, first: int, laps: int, seconds: float = 60.0) -> list[Lap]:
    """An out lap, flying laps and an in lap that don't name their run."""
    kinds = ["out", *["flying"] * (laps - 2), "in"]
    return [
        whole_lap(
            first + index,
            seconds + index / 10,
            run=None,
            kind=kind,
            started_at=None if start is None else start + timedelta(minutes=index),
        )
        for index, kind in enumerate(kinds)
    ]


def runs(laps: list[Lap]) -> list[int | None]:
    return [lap.run for _, lap in identify(laps).laps]


def test_runs_start_at_out_laps_and_after_in_laps() -> None:
    assert runs(outing(None, 1, 4) + outing(None, 5, 3)) == [1, 1, 1, 1, 2, 2, 2]
    without_out = [lap for lap in outing(None, 1, 4) + outing(None, 5, 4) if lap.kind != "out"]
    assert runs(without_out) == [1, 1, 1, 2, 2, 2]


def test_started_at_decides_the_order_and_not_the_place_in_the_file() -> None:
    laps = outing(NOON, 1, 4) + outing(NOON + timedelta(hours=1), 1, 4)
    assert runs(laps) == [1] * 4 + [2] * 4
    assert runs(laps[::-1]) == [2] * 4 + [1] * 4


def test_numbers_that_restart_follow_the_file_and_repeat_nothing() -> None:
    laps = outing(None, 1, 4) + outing(None, 1, 5, 61) + outing(None, 1, 4, 62)
    # Out laps are often alike to the last digit.
    laps[4] = laps[9] = laps[0]
    assert runs(laps) == [1] * 4 + [2] * 5 + [3] * 4
    assert not identify(laps).repeats


def test_a_copy_far_below_is_a_repeat_where_its_parts_tell_it_and_another_lap_where_they_dont() -> None:
    told = [
        lap(number, 5 + run / 10, 10, 12, 11, 9 + number / 100, run=None, kind="out" if number == 1 else "flying")
        for run in (1, 2)
        for number in (1, 2, 3)
    ]
    found = identify([*told, told[1]])
    assert [(repeat.index, repeat.repeats) for repeat in found.repeats] == [(6, 1)] and len(found.laps) == 6
    untold = outing(None, 1, 4) + outing(None, 1, 5, 61)
    assert not identify(untold).repeats


def test_numbers_alone_restart_where_they_fall() -> None:
    laps = [
        whole_lap(number, 60 + number / 10 + outing_number, run=None)
        for outing_number in (0, 1)
        for number in (1, 2, 3)
    ]
    assert runs(laps) == [1, 1, 1, 2, 2, 2]


def test_a_repeated_row_is_told_with_the_line_it_repeats_and_whether_it_differs() -> None:
    laps = [whole_lap(1, 61.0), whole_lap(2, 60.0), whole_lap(2, 60.0), whole_lap(1, 59.0), whole_lap(2, 60.0, run=2)]
    found = identify(laps)
    assert [(repeat.index, repeat.repeats, repeat.differs) for repeat in found.repeats] == [(2, 1, False), (3, 0, True)]
    assert len(found.laps) == 3


def test_repeats_are_found_where_the_runs_were_inferred() -> None:
    for start in (NOON, None):
        laps = outing(start, 1, 5) + outing(start and start + timedelta(hours=1), 6, 4)
        repeated = [*laps, laps[2], laps[0]]
        found = identify(repeated)
        assert [(repeat.index, repeat.repeats) for repeat in found.repeats] == [(9, 2), (10, 0)]
        assert [lap.run for _, lap in found.laps] == [1] * 5 + [2] * 4


@given(st.permutations(range(9)))
def test_a_shuffled_file_gives_the_same_runs(order: list[int]) -> None:
    laps = outing(None, 1, 5) + outing(None, 6, 4)
    told = {lap.number: lap.run for _, lap in identify([laps[index] for index in order]).laps}
    assert told == {number: 1 if number <= 5 else 2 for number in range(1, 10)}


def test_a_missing_lap_breaks_the_chain() -> None:
    laps = [whole_lap(1, 60), whole_lap(2, 60), whole_lap(4, 60), whole_lap(5, 60, run=2)]
    assert following(laps) == [1, None, None, None]


def test_sessions_sort_as_people_count() -> None:
    laps = [whole_lap(1, 60, session="10"), whole_lap(1, 60, session="9"), whole_lap(1, 60, session="Tuesday")]
    assert [lap.session for lap in in_order(laps)] == ["9", "10", "Tuesday"]
    assert natural_key("S9") < natural_key("S10")
