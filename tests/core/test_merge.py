"""Laps that come to laps that are there: new, the same, or different."""

from datetime import UTC, datetime, timedelta

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.merge import merge, unknown
from tests.making import whole_lap

MONDAY = datetime(2031, 3, 3, 18, tzinfo=UTC)


def evening(day: int, seconds: float = 60.0, driver: str = "Ysolde Farrand") -> list[Lap]:
    return [
        whole_lap(number, seconds + number / 10, driver=driver, started_at=MONDAY + timedelta(days=day, minutes=number))
        for number in (1, 2, 3)
    ]


def undated(seconds: float, driver: str = "Ysolde Farrand") -> list[Lap]:
    return [whole_lap(number, seconds + number / 10, driver=driver) for number in (1, 2, 3)]


def test_start_times_tell_sessions_apart() -> None:
    found = merge(evening(0), [*evening(0), whole_lap(4, 60, started_at=MONDAY + timedelta(minutes=4))])
    assert (len(found.same), len(found.new), found.sessions[0].stored_as) == (3, 1, "1")
    later = merge(evening(0), evening(1))
    assert (len(later.new), later.sessions[0].stored_as, later.sessions[0].there_already) == (3, "1 (2)", False)


def test_a_third_evening_finds_its_own_session_again() -> None:
    second = [lap for lap in merge(evening(0), evening(1)).laps]
    found = merge([*evening(0), *second], evening(1))
    assert (len(found.same), found.sessions[0].stored_as) == (3, "1 (2)")
    assert merge([*evening(0), *second], evening(2)).sessions[0].stored_as == "1 (3)"


def test_a_teammates_laps_of_the_same_evening_join_the_session() -> None:
    found = merge(evening(0), evening(0, driver="Corin Ashgrove"))
    assert (len(found.new), found.sessions[0].stored_as) == (3, "1")
    assert merge(evening(0), evening(3, driver="Corin Ashgrove")).sessions[0].stored_as == "1 (2)"


def test_without_start_times_an_equal_lap_makes_it_certain() -> None:
    old, new = undated(60), undated(61)
    new[1] = old[1]
    found = merge(old, new)
    assert (len(found.same), len(found.different), found.sessions[0].certain) == (1, 2, True)
    assert found.different[0].fields == ("time_us",)
    assert not merge(old, undated(61)).sessions[0].certain
    assert len(merge(old, undated(61), {"1"}).new) == 3


def test_what_a_person_set_aside_is_no_difference() -> None:
    old = [whole_lap(1, 60, said={"practice_only": True})]
    assert len(merge(old, [whole_lap(1, 60)]).same) == 1


def test_what_the_file_does_not_say_is_no_difference() -> None:
    """A run was declared since, a lap remarked on: the same file again, or a longer one, is none the wiser and no
    different.
    """
    old = [
        whole_lap(
            1, 60, compound="hard", purpose="long", session_kind="qualifying", options=(("T1", "high"),), fuel_l=40.0
        )
    ]
    found = merge(old, [whole_lap(1, 60), whole_lap(2, 61)])
    assert (found.new, found.same, found.different) == ((1,), (0,), ())
    for changed in (
        {"compound": "soft"},
        {"valid": False},
        {"flags": frozenset({"tow"})},
        {"fuel_l": 39.0},
        {"session_kind": "race"},
    ):
        (difference,) = merge(old, [whole_lap(1, 60, **changed)]).different
        assert difference.fields == tuple(changed)
    for name in ("compound", "options", "sectors", "session_kind", "started_at"):
        assert unknown(whole_lap(1, 60), name)
    for name in ("valid", "kind", "time_us", "flags", "strikes", "wetness"):
        assert not unknown(whole_lap(1, 60), name)
