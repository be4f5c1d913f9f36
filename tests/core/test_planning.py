"""The plan of a week: every hard rule kept on every plan, locks never broken, as good as can be, the same for the
same input.
"""

from collections.abc import Sequence
from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta
from itertools import product
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.planning.checker import Broken, broken_rules
from fleet_rival.core.planning.greedy import greedy_plan
from fleet_rival.core.planning.model import gain_of
from fleet_rival.core.planning.problem import STEP, Care, Locked, Person, Placed, Problem, Wanted, days_of, rest_minutes
from fleet_rival.core.planning.room import possible_starts
from fleet_rival.core.planning.solve import Effort, plan_week
from fleet_rival.core.season.availability import Availability, Window, free_spans
from fleet_rival.simulator.weeks_to_plan import week_to_plan

MONDAY = datetime(2031, 4, 7, tzinfo=UTC)
RACE = MONDAY + timedelta(days=5, hours=18)
EFFORT = Effort(units=4.0)


def at(day: int, hour: float) -> datetime:
    return MONDAY + timedelta(days=day, hours=hour)


def evening(day: int, begins: float = 18, ends: float = 21) -> tuple[datetime, datetime]:
    return at(day, begins), at(day, ends)


def person(
    *free: tuple[datetime, datetime], name: str = "Ysolde", zone: str = "UTC", care: Care | None = None, **facts: object
) -> Person:
    return Person(name, ZoneInfo(zone), free, care=care or Care(), **facts)  # type: ignore[arg-type]


def block(key: str, minutes: int = 30, gain: int = 1000, **facts: object) -> Wanted:
    values: dict[str, object] = {
        "key": key,
        "person": "Ysolde",
        "kind": "corner",
        "minutes": minutes,
        "gain": gain,
        "ends_by": RACE,
    }
    return Wanted(**{**values, **facts})  # type: ignore[arg-type]


def week(people: Sequence[Person], wanted: Sequence[Wanted], **facts: object) -> Problem:
    return Problem(MONDAY, MONDAY + timedelta(days=7), tuple(people), tuple(wanted), **facts)  # type: ignore[arg-type]


def where(problem: Problem, **facts: object) -> dict[str, datetime]:
    plan = plan_week(problem, EFFORT, **facts)  # type: ignore[arg-type]
    assert broken_rules(problem, plan.placed) == []
    return {item.key: item.begins for item in plan.placed}


class TestEachRule:
    def test_blocks_lie_in_free_time_before_the_race_with_breaks_between(self) -> None:
        problem = week([person(evening(1, 18, 19.25))], [block("a"), block("b"), block("c")])
        placed = where(problem)
        assert len(placed) == 2, "two half hours, a break between, and no room for a third"
        late = week([person(evening(5))], [block("a", ends_by=at(5, 18.5))])
        assert where(late) == {"a": at(5, 18)}
        assert where(week([person(evening(5))], [block("a", ends_by=at(5, 18.25))])) == {}

    def test_who_drives_a_race_rests_before_it(self) -> None:
        busy = ((at(1, 19), at(1, 20)),)
        problem = week([person(evening(1, 18, 20.5), busy=busy)], [block("a"), block("b")])
        placed = where(problem)
        assert len(placed) == 2 and max(placed.values()) == at(1, 20)
        assert min(placed.values()) <= at(1, 18.25), "over by a quarter to, ten minutes before the race are free"

    def test_no_more_than_the_day_limit_and_evenings_past_midnight_are_one_day(self) -> None:
        care = Care(day_limit_minutes=60)
        night = (at(1, 22), at(2, 3))
        placed = where(week([person(night, care=care)], [block(str(index)) for index in range(5)]))
        assert len(placed) == 2
        two = where(week([person(night, evening(2), care=care)], [block(str(index)) for index in range(5)]))
        assert len(two) == 4
        assert [day for day, _ in days_of(person(), [night])] == [night[0].date().toordinal()]
        assert len(days_of(person(), [(at(1, 20), at(2, 6))])) == 2

    def test_one_rig_and_one_coach_at_a_time(self) -> None:
        free = evening(1, 18, 19)
        people = [person(free), person(free, name="Corin")]
        wanted = [block("a", rigs=("R1",)), block("b", person="Corin", rigs=("R1",))]
        assert set(where(week(people, wanted, rigs={"R1": (free,)})).values()) == {at(1, 18), at(1, 18.5)}
        assert len(where(week(people, wanted, rigs={"R1": ((at(1, 18), at(1, 18.5)),)}))) == 1
        assert where(week(people, wanted, rigs={"R1": ()})) == {}
        reviews = [block("a", coach="Idrik", driving=False), block("b", person="Corin", coach="Idrik", driving=False)]
        assert len(set(where(week(people, reviews, coaches={"Idrik": (free,)})).values())) == 2
        assert where(week(people, reviews, coaches={"Idrik": (evening(2),)})) == {}

    def test_rigs_that_are_alike_are_dealt_out_without_meeting(self) -> None:
        free = evening(1, 18, 20)
        people = [person(free, name=name) for name in "ABCDE"]
        wanted = [
            block(name + str(index), person=name, rigs=("R1", "R2", "R3")) for name in "ABCDE" for index in range(2)
        ]
        plan = plan_week(week(people, wanted, rigs={rig: (free,) for rig in ("R1", "R2", "R3")}), EFFORT)
        assert broken_rules(week(people, wanted, rigs={rig: (free,) for rig in ("R1", "R2", "R3")}), plan.placed) == []
        assert len(plan.placed) == 10 and {item.rig for item in plan.placed} == {"R1", "R2", "R3"}

    def test_order_and_what_a_block_needs(self) -> None:
        wanted = [
            block("long", gain=9000, after=("build",)),
            block("build", gain=10, after=("walk",)),
            block("walk", gain=5),
        ]
        placed = where(week([person(evening(1))], wanted))
        assert placed["walk"] < placed["build"] < placed["long"]
        tight = week([person(evening(1, 18, 18.5))], [block("long", gain=9000, needs=("walk",)), block("walk", gain=5)])
        assert set(where(tight)) == {"walk"}, "without the walk the long run makes no sense"
        gone = week([person(evening(1))], [block("long", needs=("walk",))])
        assert where(gone) == {}

    def test_a_rehearsal_may_last_and_is_rested_from_longer(self) -> None:
        rehearsal = block("race", minutes=75, rehearsal=True)
        assert rest_minutes(rehearsal, Care()) == 15.0 and rest_minutes(block("a", driving=False), Care()) == 0.0
        problem = week([person(evening(1, 18, 21))], [rehearsal, block("a")])
        placed = where(problem)
        assert len(placed) == 2
        assert broken_rules(
            problem, [Placed("race", at(1, 18), at(1, 19.25)), Placed("a", at(1, 19.375), at(1, 19.875))]
        ) == [Broken("break", "a", "race")]

    def test_what_is_locked_stays_and_is_flagged_where_it_breaks_a_rule(self) -> None:
        locked = {"a": Locked(at(1, 23)), "b": Locked(at(1, 23.25))}
        problem = week([person(evening(1))], [block("a"), block("b"), block("c")], locked=locked)
        plan = plan_week(problem, EFFORT)
        there = {item.key: item for item in plan.placed}
        assert (
            (there["a"].begins, there["b"].begins) == (at(1, 23), at(1, 23.25)) and there["a"].locked and "c" in there
        )
        rules = {(item.rule, item.key) for item in broken_rules(problem, plan.placed)}
        assert {("outside", "a"), ("outside", "b"), ("twice", "b")} <= rules and not any(key == "c" for _, key in rules)
        longer = week([person(evening(1))], [block("a"), block("c")], locked={"a": Locked(at(1, 18), minutes=150)})
        full = plan_week(longer, EFFORT).placed
        assert [item.key for item in full] == ["a"], "the day is full"
        assert [item.rule for item in broken_rules(longer, full)] == ["seat"]

    def test_what_was_planned_before_moves_only_where_it_brings_something(self) -> None:
        wanted = [block("a", gain=1000), block("b", gain=1000)]
        before = {"a": at(1, 20), "b": at(1, 18.25)}
        assert where(week([person(evening(1))], wanted, before=before)) == before
        # A shorter evening: what can stay does.
        assert where(week([person(evening(1, 18, 20))], wanted, before=before))["b"] == at(1, 18.25)

    def test_of_two_evenings_the_later_one_is_taken(self) -> None:
        assert where(week([person(evening(1), evening(3))], [block("a")]))["a"] >= at(3, 18)


class TestWeeksOfManyKinds:
    @pytest.mark.parametrize("seed", range(3))
    def test_made_up_weeks_are_planned_by_the_rules_and_better_than_by_hand(self, seed: int) -> None:
        problem = week_to_plan(seed, drivers=4)
        plan, simple = plan_week(problem, EFFORT), greedy_plan(problem)
        assert broken_rules(problem, plan.placed) == [] and broken_rules(problem, simple) == []
        assert gain_of(problem, plan.placed) >= gain_of(problem, simple)
        assert plan.value <= plan.bound + 1 and plan.value >= 0.9 * plan.bound
        assert plan_week(problem, EFFORT) == plan, "the same input, the same plan"

    @pytest.mark.parametrize(
        ("first", "zone"),
        [
            (date(2031, 3, 24), "Europe/Berlin"),
            (date(2031, 10, 20), "Europe/Berlin"),
            (date(2031, 3, 3), "America/Halifax"),
        ],
    )
    def test_weeks_in_which_clocks_change(self, first: date, zone: str) -> None:
        begins = datetime.combine(first, time(), UTC)
        spans = free_spans(
            Availability((Window((5, 6), time(22), time(6)),)), ZoneInfo(zone), begins, begins + timedelta(days=7)
        )
        who = Person("Ysolde", ZoneInfo(zone), spans)
        wanted = [block(str(index), minutes=45, ends_by=begins + timedelta(days=7)) for index in range(9)]
        problem = Problem(begins, begins + timedelta(days=7), (who,), tuple(wanted))
        plan = plan_week(problem, EFFORT)
        assert broken_rules(problem, plan.placed) == [] and len(plan.placed) >= 6

    @given(st.integers(0, 10_000), st.integers(1, 4), st.integers(0, 2), st.floats(0, 1))
    @settings(max_examples=25, deadline=None)
    def test_no_plan_breaks_a_rule_whatever_the_week(self, seed: int, drivers: int, rigs: int, share: float) -> None:
        rng = np.random.default_rng(seed)
        problem = week_to_plan(seed, drivers=drivers, series=2, rigs=rigs)
        # Limits that leave nothing, evenings taken away, locks anywhere.
        care = Care(float(rng.choice([20, 50])), float(rng.choice([5, 10, 30])), float(rng.choice([0, 40, 150])))
        people = tuple(
            replace(who, care=care, free=tuple(span for span in who.free if rng.random() < share))
            for who in problem.people
        )
        wanted = tuple(
            item
            for item in problem.wanted
            if not item.driving or item.minutes <= care.seat_limit_minutes or item.rehearsal
        )
        chosen = [item for item in wanted if rng.random() < 0.15]
        locked = {
            item.key: Locked(problem.begins + STEP * int(rng.integers(600)), (item.rigs or (None,))[0])
            for item in chosen
        }
        problem = replace(problem, people=people, wanted=wanted, locked=locked)
        for placed in (plan_week(problem, Effort(units=0.3)).placed, greedy_plan(problem)):
            broken = broken_rules(problem, placed)
            assert all({item.key, item.other} & locked.keys() for item in broken), broken
            assert {item.key for item in placed} >= locked.keys() and not any(item.rule == "moved" for item in broken)
            free = {item.key for item in broken} - locked.keys()
            # What isn't locked is never put where it breaks a rule, except that a lock can be in the wrong order to it.
            assert all(item.rule in ("order", "break", "day", "seat") for item in broken if item.key in free), broken


def best_by_trying(problem: Problem) -> int:
    """The best plan, by trying all."""
    options: list[list[Placed | None]] = []
    for item in problem.wanted:
        starts: list[Placed | None] = [None]
        for room in possible_starts(problem, item):
            for first, last in room.windows:
                for index in range(int((last - first) / STEP) + 1):
                    begins = first + STEP * index
                    starts.append(Placed(item.key, begins, begins + timedelta(minutes=item.minutes), room.rig))
        options.append(starts)
    best = 0
    for choice in product(*options):
        plan = [item for item in choice if item is not None]
        if not broken_rules(problem, plan):
            best = max(best, gain_of(problem, plan))
    return best


@given(st.integers(0, 10_000))
@settings(max_examples=20, deadline=None)
def test_small_weeks_are_planned_as_well_as_by_trying_everything(seed: int) -> None:
    rng = np.random.default_rng(seed)
    hours = rng.choice([1.0, 1.25, 1.5])
    people = [person(evening(1, 18, 18 + float(hours))), person(evening(1, 18.5, 19.5), name="Corin")]
    care = Care(day_limit_minutes=float(rng.choice([40, 150])))
    people = [replace(who, care=care) for who in people]
    wanted = [
        block(
            f"b{index}",
            minutes=int(rng.choice([30, 45])),
            gain=int(rng.integers(1, 100)) * 10,
            person=str(rng.choice(["Ysolde", "Corin"])),
            rigs=("R1",) if rng.random() < 0.6 else (),
            after=(f"b{index - 1}",) if index and rng.random() < 0.4 else (),
            needs=(f"b{index - 1}",) if index and rng.random() < 0.3 else (),
        )
        for index in range(4)
    ]
    problem = week(people, wanted, rigs={"R1": (evening(1, 18, 19.5),)})
    plan = plan_week(problem, Effort(units=1.0))
    assert broken_rules(problem, plan.placed) == [] and plan.proven
    assert gain_of(problem, plan.placed) == best_by_trying(problem)


class TestTheChecker:
    """Plans made wrong on purpose: each rule is noticed."""

    @pytest.mark.parametrize(
        ("plan", "rule"),
        [
            ([Placed("a", at(1, 17), at(1, 17.5))], "outside"),
            ([Placed("a", at(6, 18), at(6, 18.5))], "late"),
            ([Placed("a", at(-1, 18), at(-1, 18.5))], "early"),
            ([Placed("a", at(1, 18), at(1, 18.5)), Placed("b", at(1, 18.25), at(1, 18.75))], "twice"),
            ([Placed("a", at(1, 18), at(1, 18.5)), Placed("b", at(1, 18.5), at(1, 19))], "break"),
            ([Placed("b", at(1, 18), at(1, 18.5)), Placed("then", at(1, 17), at(1, 17.5))], "order"),
            ([Placed("needs", at(1, 18), at(1, 18.5))], "alone"),
            ([Placed("a", at(2, 18), at(2, 18.5))], "busy"),
            ([Placed("rigged", at(1, 18), at(1, 18.5), "R2")], "rig-closed"),
            ([Placed("rigged", at(1, 18), at(1, 18.5), "R1"), Placed("other", at(1, 18), at(1, 18.5), "R1")], "rig"),
            ([Placed("coached", at(3, 18), at(3, 18.5))], "coach-closed"),
            ([Placed("coached", at(1, 18), at(1, 18.5)), Placed("also", at(1, 18), at(1, 18.5))], "coach"),
            ([Placed("hour", at(1, 18), at(1, 19))], "seat"),
            ([Placed("long", at(1, 18), at(1, 20.75))], "day"),
        ],
        ids=lambda value: value if isinstance(value, str) else "",
    )
    def test_notices(self, plan: list[Placed], rule: str) -> None:
        free = (evening(-1), evening(1), evening(2), evening(3), evening(6))
        people = [person(*free, busy=((at(2, 18), at(2, 19)),)), person(*free, name="Corin")]
        wanted = [
            *(
                block("a"),
                block("b"),
                block("then", after=("b",)),
                block("needs", needs=("a",)),
                block("hour", minutes=60),
            ),
            *(
                block("rigged", rigs=("R1",)),
                block("other", person="Corin", rigs=("R1",)),
                block("long", minutes=165, rehearsal=True),
            ),
            *(
                block("coached", coach="Idrik", driving=False),
                block("also", person="Corin", coach="Idrik", driving=False),
            ),
        ]
        problem = week(people, wanted, rigs={"R1": free}, coaches={"Idrik": (evening(1),)})
        assert rule in {item.rule for item in broken_rules(problem, plan)}

    def test_misses_a_lock(self) -> None:
        problem = week([person(evening(1))], [block("a")], locked={"a": Locked(at(1, 18))})
        assert broken_rules(problem, [])[0].rule == "moved"
        assert broken_rules(problem, [Placed("a", at(1, 19), at(1, 19.5))])[0].rule == "moved"


def test_what_is_forced_costs_the_rest_and_what_cannot_be_is_said() -> None:
    problem = week([person(evening(1, 18, 18.5))], [block("small", gain=10), block("large", gain=90)])
    assert (
        set(where(problem)) == {"large"}
        and set(where(problem, forced=["small"])) == {"small"}
        and set(where(problem, without=["large"])) == {"small"}
    )
    nowhere = plan_week(week([person()], [block("a")]), EFFORT, forced=["a"])
    assert nowhere.placed == () and nowhere.bound == -1.0 and nowhere.proven
