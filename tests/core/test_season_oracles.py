"""Free time, clashes, conditions, targets and needs, each against a slow and plain way to the same answer."""

from collections.abc import Sequence
from datetime import UTC, date, datetime, time, timedelta
from fractions import Fraction
from itertools import pairwise
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.season.attention import KINDS, EntryFacts, WeekFacts, needs
from fleet_rival.core.season.availability import (
    Availability,
    BadAvailability,
    DayOff,
    Slot,
    Span,
    Window,
    covers,
    free_spans,
    is_known,
)
from fleet_rival.core.season.clashes import Clash, Entry, clashes, occupied, starts_in_time
from fleet_rival.core.season.conditions import Conditions, differences, like
from fleet_rival.core.season.targets import BadTarget, Benchmark, Target, target_us
from fleet_rival.core.settings import Settings

MONDAY = datetime(2031, 4, 7, tzinfo=UTC)
HOUR, DAY = timedelta(hours=1), timedelta(days=1)
OSLO = ZoneInfo("Europe/Oslo")
times = st.integers(0, 23).map(time)
windows = st.builds(Window, st.lists(st.integers(0, 6), min_size=1, max_size=4).map(tuple), times, times)
days_off = st.builds(
    lambda first, length: DayOff(first, first + timedelta(days=length)),
    st.dates(date(2031, 4, 1), date(2031, 4, 20)),
    st.integers(0, 3),
)
slots = st.builds(
    lambda day, hour, hours: Slot(
        datetime.combine(day, time(hour)), datetime.combine(day, time(hour)) + timedelta(hours=hours)
    ),
    st.dates(date(2031, 4, 5), date(2031, 4, 16)),
    st.integers(0, 23),
    st.integers(1, 9),
)
hours = st.builds(
    Availability,
    st.lists(windows, max_size=4).map(tuple),
    st.lists(days_off, max_size=2).map(tuple),
    st.lists(slots, max_size=3).map(tuple),
)


def is_free(said: Availability, zone: ZoneInfo, moment: datetime) -> bool:
    """Whether somebody has time at a moment, looked up hour by hour."""
    wall = moment.astimezone(zone).replace(tzinfo=None)
    if any(slot.begins <= wall < slot.ends for slot in said.extra):
        return True
    for window in said.weekly:
        for began in (wall.date() - DAY, wall.date()):
            if began.weekday() not in window.days or any(off.first <= began <= off.last for off in said.off):
                continue
            begins = datetime.combine(began, window.begins)
            ends = datetime.combine(began + (DAY if window.ends <= window.begins else timedelta()), window.ends)
            if begins <= wall < ends:
                return True
    return False


@given(hours, st.sampled_from([ZoneInfo("UTC"), OSLO, ZoneInfo("America/Halifax"), ZoneInfo("Asia/Kolkata")]))
@settings(deadline=None, max_examples=20)
def test_free_time_is_what_one_finds_hour_by_hour(said: Availability, zone: ZoneInfo) -> None:
    # No clock is changed in these days.
    begins, ends = MONDAY, MONDAY + 7 * DAY
    spans = free_spans(said, zone, begins, ends)
    half = timedelta(minutes=30)
    moment = begins
    while moment < ends:
        found = any(start <= moment < end for start, end in spans)
        assert found == is_free(said, zone, moment), moment
        moment += half
    assert all(start < end for start, end in spans)
    assert all(first[1] < second[0] for first, second in pairwise(spans)), "stretches that touch are one"
    assert all(begins <= start and end <= ends for start, end in spans)


def test_hours_follow_the_clock_when_it_is_changed() -> None:
    evening = Availability((Window(tuple(range(7)), time(20), time(22)),))
    spring = free_spans(evening, OSLO, datetime(2031, 3, 29, tzinfo=UTC), datetime(2031, 3, 31, tzinfo=UTC))
    assert [start.hour for start, _ in spring] == [19, 18], "an hour earlier in UTC once summer time is on"
    night = Availability((Window((6,), time(1), time(4)),))
    jumped = free_spans(night, OSLO, datetime(2031, 3, 29, tzinfo=UTC), datetime(2031, 3, 31, tzinfo=UTC))
    assert [end - start for start, end in jumped] == [2 * HOUR], "an hour of this night doesn't exist"
    edge = Availability((Window((6,), time(2, 30), time(4)),))
    ((begins, _),) = free_spans(edge, OSLO, datetime(2031, 3, 29, tzinfo=UTC), datetime(2031, 3, 31, tzinfo=UTC))
    assert begins == datetime(2031, 3, 30, 1, tzinfo=UTC), "a beginning that the clocks jump over is the jump"


@pytest.mark.parametrize(
    ("said", "words"),
    [
        (Availability((Window((), time(18), time(20)),)), "is on no day"),
        (Availability((Window((7,), time(18), time(20)),)), "is on no day"),
        (Availability(off=(DayOff(date(2031, 4, 2), date(2031, 4, 1)),)), "end before they begin"),
        (Availability(extra=(Slot(datetime(2031, 4, 2, 10), datetime(2031, 4, 2, 10)),)), "ends before it begins"),
    ],
)
def test_hours_that_nobody_can_mean_are_told(said: Availability, words: str) -> None:
    with pytest.raises(BadAvailability, match=words):
        said.check()


def test_who_said_nothing_is_not_known_and_days_off_alone_say_nothing() -> None:
    assert not is_known(Availability()) and not is_known(
        Availability(off=(DayOff(date(2031, 4, 1), date(2031, 4, 1)),))
    )
    assert is_known(Availability((Window((0,), time(1), time(2)),)))


moments = st.integers(0, 47).map(lambda half: MONDAY + half * timedelta(minutes=30))
spans = st.lists(
    st.tuples(moments, st.integers(1, 8)).map(lambda item: (item[0], item[0] + item[1] * HOUR)), max_size=3
)
drivers, rigs, cars = st.sampled_from("ABC"), st.sampled_from([None, "rig 1", "rig 2"]), st.sampled_from(["x", "y"])
entries = st.lists(
    st.builds(
        lambda driver, starts, offered, minutes, car, rig: (
            driver,
            tuple(starts),
            frozenset(offered),
            minutes,
            (car,),
            rig,
        ),
        drivers,
        st.lists(moments, max_size=2, unique=True),
        st.lists(moments, max_size=4),
        st.sampled_from([30.0, 60.0, 90.0]),
        cars,
        rigs,
    ),
    max_size=5,
).map(lambda items: [Entry(f"e{index}", *item) for index, item in enumerate(items)])


def apart(first: Span, second: Span) -> bool:
    return first[1] <= second[0] or second[1] <= first[0]


def plain_clashes(
    found: Sequence[Entry], free: dict[str, Any], may: dict[str, frozenset[str]], open_hours: dict[str, Any]
) -> set[Clash]:
    """Each kind by its own sentence of the rules, over all pairs."""
    out = set()
    for entry in found:
        busy = {start: occupied(start, entry.minutes) for start in entry.starts}
        out |= {Clash("not_offered", entry.key, start) for start in entry.starts if start not in entry.offered}
        known = free.get(entry.driver)
        if known is not None:
            out |= {Clash("no_time", entry.key, start) for start, span in busy.items() if not covers(known, *span)}
            if (
                not entry.starts
                and entry.offered
                and not any(covers(known, *occupied(start, entry.minutes)) for start in entry.offered)
            ):
                out.add(Clash("no_start", entry.key))
        if entry.resource and open_hours.get(entry.resource) is not None:
            out |= {
                Clash("rig_closed", entry.key, start)
                for start, span in busy.items()
                if not covers(open_hours[entry.resource], *span)
            }
        if entry.cars[0] in may and entry.driver not in may[entry.cars[0]]:
            out.add(Clash("no_car", entry.key))
    starts = [(entry, start) for entry in found for start in entry.starts]
    for one, first in starts:
        for other, second in starts:
            if (one.key, first) == (other.key, second) or apart(
                occupied(first, one.minutes), occupied(second, other.minutes)
            ):
                continue
            if one.driver == other.driver:
                out.add(Clash("two_starts", one.key, first, other.key))
            elif one.resource and one.resource == other.resource:
                out.add(Clash("rig_taken", one.key, first, other.key))
    return out


@given(
    entries,
    st.dictionaries(drivers, st.none() | spans),
    st.dictionaries(cars, st.frozensets(drivers)),
    st.dictionaries(st.just("rig 1"), spans),
)
@settings(deadline=None, max_examples=50)
def test_clashes_are_those_that_the_rules_name(found: list[Entry], free: Any, may: Any, open_hours: Any) -> None:
    told = clashes(found, free, may, open_hours)
    assert set(told) == plain_clashes(found, free, may, open_hours)
    mirrored = {(item.kind, item.entry, item.other) for item in told if item.other}
    assert all((kind, other, entry) in mirrored for kind, entry, other in mirrored), "told at both"


@given(st.lists(moments, unique=True).map(sorted), st.sampled_from([30.0, 60.0, 240.0]), spans)
@settings(deadline=None, max_examples=40)
def test_starts_in_time_fit_whole(offered: list[datetime], minutes: float, free: list[Span]) -> None:
    fitting = starts_in_time(offered, minutes, free)
    assert fitting == [
        start
        for start in offered
        if any(begins <= start and start + timedelta(minutes=minutes) <= ends for begins, ends in free)
    ]


temperatures = st.none() | st.integers(-5, 60).map(float)
conditions = st.builds(
    Conditions,
    st.none() | st.datetimes(datetime(2031, 1, 1), datetime(2031, 12, 31)),
    temperatures,
    temperatures,
    st.none() | st.sampled_from(["dry", "damp", "wet"]),
)


@given(conditions, conditions)
@settings(deadline=None, max_examples=40)
def test_differences_are_the_same_both_ways_and_only_of_what_both_know(one: Conditions, other: Conditions) -> None:
    there, back = differences(one, other, Settings()), differences(other, one, Settings())
    assert [(item.what, item.by, item.matters) for item in there] == [
        (item.what, item.by, item.matters) for item in back
    ]
    assert all(
        (item.practised, item.race) == (mirror.race, mirror.practised) for item, mirror in zip(there, back, strict=True)
    )
    names = {
        "time_of_day": "session_local",
        "air_temp_c": "air_temp_c",
        "track_temp_c": "track_temp_c",
        "wetness": "wetness",
    }
    assert all(getattr(side, names[item.what]) is not None for item in there for side in (one, other))
    assert all(item.by is None or item.by > 0 for item in there)
    assert all(item.by is not None and item.by <= 720 for item in there if item.what == "time_of_day"), (
        "the clock is a circle"
    )
    assert like(one, other, Settings()) == (not any(item.matters for item in there))
    assert differences(one, one, Settings()) == ()


@given(st.integers(1, 10**10), st.integers(90_000_000, 150_000_000))
@settings(deadline=None, max_examples=40)
def test_a_share_is_exact_to_the_microsecond(time_us: int, millionths: int) -> None:
    per_cent = millionths / 1_000_000
    exact = Fraction(time_us) * Fraction(millionths, 100_000_000)
    for rule, benchmark, ideal in (("benchmark", Benchmark(time_us), None), ("ideal", None, time_us)):
        told = target_us(Target(rule, per_cent=per_cent), benchmark, ideal)
        assert told is not None and abs(told - exact) <= Fraction(1, 2)


@pytest.mark.parametrize(
    ("target", "benchmark", "words"),
    [
        (Target("wish"), None, "is not one of"),
        (Target("time"), None, "time is missing"),
        (Target("time", time_us=0), None, "time is missing"),
        (Target("benchmark"), None, "no benchmark yet"),
        (Target("ideal", per_cent=89.9), None, "outside of 90 to 150"),
        (Target("benchmark", per_cent=150.1), Benchmark(1), "outside of 90 to 150"),
    ],
)
def test_a_rule_that_cannot_be_followed_is_refused(target: Target, benchmark: Benchmark | None, words: str) -> None:
    with pytest.raises(BadTarget, match=words):
        target.check(benchmark)


def test_a_rule_without_anything_to_go_by_gives_no_target() -> None:
    assert (
        target_us(None, Benchmark(1), 1)
        is target_us(Target("ideal"), Benchmark(1), None)
        is target_us(Target("benchmark"), None, 1)
        is None
    )
    assert (
        target_us(Target("ideal"), None, 61_000_000)
        == target_us(Target("time", time_us=61_000_000), None, None)
        == 61_000_000
    )


entry_facts = st.builds(
    lambda driver, laps, starts, asked, kinds: (driver, laps, tuple(starts), tuple(kinds), asked),
    st.sampled_from(["Ada", "Bo", "Cy"]),
    st.integers(0, 2),
    st.lists(moments, max_size=2),
    st.frozensets(st.sampled_from(["tow", "damage", "incident"])),
    st.lists(st.sampled_from(["two_starts", "no_time", "no_car", "no_start"]), max_size=2, unique=True),
)
week_facts = st.builds(
    lambda begins, has, target, unread, items: WeekFacts(
        "w",
        begins,
        begins + 7 * DAY,
        (begins + 6 * DAY,),
        has,
        target,
        tuple(
            EntryFacts(
                f"e{n}",
                driver,
                laps,
                starts,
                tuple(Clash(kind, f"e{n}", starts[0] if starts else None) for kind in kinds),
                (),
                asked,
            )
            for n, (driver, laps, starts, kinds, asked) in enumerate(items)
        ),
        unread,
    ),
    st.integers(-10, 12).map(lambda days: MONDAY + days * DAY),
    st.booleans(),
    st.booleans(),
    st.integers(0, 2),
    st.lists(entry_facts, max_size=3),
)


@given(week_facts)
@settings(deadline=None, max_examples=50)
def test_needs_are_of_weeks_that_matter_now_each_once_and_the_pressing_first(week: WeekFacts) -> None:
    told = needs([week], MONDAY, Settings())
    if week.ends <= MONDAY or week.begins > MONDAY + 7 * DAY:
        assert told == (), "what is over, or far off, needs nothing"
        return
    kinds = [need.kind for need in told]
    assert len({(need.kind, need.drivers) for need in told}) == len(told) and set(kinds) <= set(KINDS)
    assert ("no_track" in kinds) == (not week.has_combination)
    if not week.has_combination:
        assert kinds == ["no_track"]
    elif not week.entries:
        assert kinds == ["no_entries"]
    elif week.begins <= MONDAY + 3 * DAY:
        assert ("no_target" in kinds) == (not week.has_target)
        assert ("no_references" in kinds) == (week.unread > 0)
        for kind in ("tow", "damage", "incident"):
            assert (f"ask_{kind}" in kinds) == any(kind in entry.asked for entry in week.entries)
    keys = {entry.key for entry in week.entries}
    assert all(set(need.entries) <= keys for need in told)
    soon = [need.due <= MONDAY + Settings().chase_days * DAY for need in told]
    assert soon == sorted(soon, reverse=True)
