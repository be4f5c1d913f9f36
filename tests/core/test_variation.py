"""What if: a week beside the same week with something changed."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.planning.checker import broken_rules
from fleet_rival.core.planning.model import gain_of
from fleet_rival.core.planning.problem import Locked, Person, Problem, Wanted
from fleet_rival.core.planning.solve import Effort
from fleet_rival.core.planning.variation import beside, room_makers, with_less_time, with_more_time
from fleet_rival.simulator.weeks_to_plan import week_to_plan

MONDAY = datetime(2031, 3, 3, tzinfo=UTC)
EFFORT = Effort(units=2.0, seconds=20.0)
HOUR = timedelta(hours=1)


def week(evenings: int = 1, rigs: tuple[str, ...] = ()) -> Problem:
    """Ada has one free hour on each of some evenings and wants two blocks of 45 minutes; Bo has all the time of the
    week.
    """
    race = MONDAY + timedelta(days=4)
    ada = Person(
        "Ada",
        ZoneInfo("UTC"),
        tuple((MONDAY + (24 * day + 19) * HOUR, MONDAY + (24 * day + 20) * HOUR) for day in range(evenings)),
    )
    bo = Person("Bo", ZoneInfo("Europe/Berlin"), ((MONDAY, race),))
    wanted = tuple(
        Wanted(f"{name}:{kind}", name, kind, 45, gain, race, rigs=rigs)
        for name in ("Ada", "Bo")
        for kind, gain in (("build", 900), ("long", 500))
    )
    return Problem(MONDAY, race, (ada, bo), wanted, rigs={rig: ((MONDAY, race),) for rig in rigs})


def test_one_more_evening_brings_what_found_no_place() -> None:
    problem = week()
    evening = (MONDAY + 43 * HOUR, MONDAY + 45 * HOUR)
    found = beside(problem, with_more_time(problem, "Ada", [evening]), ["Ada"], EFFORT)
    assert (found.people, found.gained, found.added, found.dropped, found.proven) == (
        frozenset({"Ada"}),
        500,
        ("Ada:long",),
        (),
        True,
    )
    assert all(item.key.startswith("Ada") for item in found.after.placed), "nobody else's week is planned"
    away = beside(problem, with_less_time(problem, "Ada", [(MONDAY, MONDAY + 24 * HOUR)]), ["Ada"], EFFORT)
    assert (away.gained, away.added, away.dropped) == (-900, (), ("Ada:build",))
    same = beside(problem, problem, ["Ada"], EFFORT)
    assert (same.gained, same.added, same.dropped, same.moved) == (0, (), (), ())


def test_who_shares_a_rig_is_planned_along() -> None:
    problem = week(rigs=("R1",))
    assert beside(problem, problem, ["Ada"], EFFORT).people == {"Ada", "Bo"}


def test_what_would_make_room_is_said_by_what_it_brings() -> None:
    makers = room_makers(week(), "Ada:long", EFFORT)
    assert [maker.kind for maker in makers] == ["evening"] * 4, "that of Monday grows beyond the hour that is free"
    assert all(maker.gained == 500 and maker.span is not None and maker.span[0].hour == 19 for maker in makers)
    assert room_makers(week(evenings=3), "Ada:build", EFFORT) == [], "it has a place"
    # Somebody sits on the only rig all week.
    crowded = week(evenings=2, rigs=("R1",))
    taken = Wanted("Bo:all", "Bo", "build", 4 * 24 * 60, 1, crowded.ends, rigs=("R1",), driving=False)
    full = replace(crowded, wanted=(*crowded.wanted, taken), locked={"Bo:all": Locked(MONDAY, "R1")})
    assert [maker.kind for maker in room_makers(full, "Ada:build", EFFORT)] == ["rig"]


def test_the_coachs_time_makes_room_for_a_review() -> None:
    problem = week(evenings=4)
    review = Wanted("Ada:review", "Ada", "review", 30, 300, problem.ends, driving=False, coach="Idrik")
    alone = replace(problem, wanted=(review,), coaches={"Idrik": ()})
    assert {maker.kind for maker in room_makers(alone, "Ada:review", EFFORT)} == {"coach"}


@pytest.mark.parametrize("seed", [3, 4])
def test_a_plan_of_a_changed_week_keeps_every_rule(seed: int) -> None:
    problem = week_to_plan(seed, drivers=4, series=2, rigs=1)
    name = problem.people[0].name
    other = with_less_time(problem, name, [(problem.begins, problem.begins + timedelta(days=2))])
    found = beside(problem, other, [name], EFFORT)
    people = [person for person in other.people if person.name in found.people]
    own = replace(
        other, people=tuple(people), wanted=tuple(item for item in other.wanted if item.person in found.people)
    )
    assert broken_rules(own, found.after.placed) == []
    assert found.gained == gain_of(other, found.after.placed) - gain_of(problem, found.before.placed)


@settings(max_examples=12, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 80), st.integers(1, 6)), max_size=3))
def test_more_time_never_costs_and_less_never_brings(spans: list[tuple[int, int]]) -> None:
    problem = week(evenings=2)
    windows = [(MONDAY + begin * HOUR, MONDAY + (begin + hours) * HOUR) for begin, hours in spans]
    assert beside(problem, with_more_time(problem, "Ada", windows), ["Ada"], EFFORT).gained >= 0
    assert beside(problem, with_less_time(problem, "Ada", windows), ["Ada"], EFFORT).gained <= 0
