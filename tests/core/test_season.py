"""Start times, free time, clashes, targets, conditions, and what needs somebody: over days on which clocks change
too.
"""

from datetime import UTC, date, datetime, time, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.season.attention import EntryFacts, WeekFacts, needs
from fleet_rival.core.season.availability import Availability, DayOff, Slot, Window, covers, free_spans
from fleet_rival.core.season.clashes import Clash, Entry, clashes, starts_in_time
from fleet_rival.core.season.conditions import Conditions, differences, like
from fleet_rival.core.season.starts import BadStarts, expand, read_starts
from fleet_rival.core.season.targets import BadTarget, Benchmark, Target, target_us
from fleet_rival.core.season.weeks import BadChangeable, Changeable, SeriesWeek, read_changeables, write_changeables
from fleet_rival.core.season.zones import NoSuchTime, instant
from fleet_rival.core.settings import Settings

OSLO = ZoneInfo("Europe/Oslo")
MONDAY = datetime(2031, 4, 7, tzinfo=UTC)
WEEK = timedelta(days=7)


def at(text: str) -> datetime:
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


def test_a_rule_fires_at_the_same_times_each_day_and_only_within_the_week() -> None:
    starts = expand(read_starts("every 90min from 00:20"), MONDAY, MONDAY + WEEK).starts
    assert len(starts) == 7 * 16 and starts[0] == at("2031-04-07T00:20") and starts[-1] == at("2031-04-13T22:50")
    assert {(later - first) for first, later in pairwise(starts)} == {timedelta(minutes=90)}
    uneven = expand(read_starts("every 100 min from 00:20 to 22:00"), MONDAY, MONDAY + WEEK).starts
    assert {start.time() for start in uneven} == {start.time() for start in uneven[:14]} and len(uneven) == 7 * 14
    weekend = expand(read_starts("at 18:00, 20:30 on sat sun"), MONDAY, MONDAY + WEEK).starts
    assert weekend == (at("2031-04-12T18:00"), at("2031-04-12T20:30"), at("2031-04-13T18:00"), at("2031-04-13T20:30"))


def test_wall_times_of_a_zone_stay_when_its_clocks_change_and_the_hour_that_is_missing_is_told() -> None:
    begins, ends = at("2031-03-28T23:00"), at("2031-04-01T22:00")
    evening = expand(read_starts("at 20:00 in Europe/Oslo"), begins, ends).starts
    assert [start.hour for start in evening] == [19, 18, 18, 18]  # summer time begins on Sunday the 30th
    night = expand(read_starts("at 02:30 in Europe/Oslo"), begins, ends)
    assert len(night.starts) == 3
    assert night.warnings == ("2031-03-30 02:30 doesn't exist in Europe/Oslo: the clocks are put forward then",)
    with pytest.raises(NoSuchTime):
        instant(datetime(2031, 3, 30, 2, 30), OSLO)
    # Of a time that comes twice, the first.
    assert instant(datetime(2031, 10, 26, 2, 30), OSLO) == at("2031-10-26T00:30")


@settings(max_examples=40, deadline=None)
@given(
    st.sampled_from(
        ["UTC", "Europe/Oslo", "America/Halifax", "Africa/Cairo", "Australia/Lord_Howe", "Pacific/Chatham"]
    ),
    st.dates(date(2026, 1, 1), date(2032, 12, 1)),
    st.integers(5, 1440),
    st.integers(0, 23),
    st.sets(st.sampled_from(["mon", "tue", "wed", "thu", "fri", "sat", "sun"]), min_size=1),
)
def test_starts_lie_in_the_week_in_order_each_once_at_the_wall_times_of_the_rule(
    zone: str, day: date, step: int, hour: int, days: set[str]
) -> None:
    week = SeriesWeek(
        "Cup",
        1,
        zone,
        day,
        day + timedelta(days=7),
        starts=f"every {step}min from {hour:02}:10 on {' '.join(sorted(days))} in {zone}",
    )
    begins, ends = week.window
    starts = week.expanded().starts
    assert list(starts) == sorted(set(starts)) and all(begins <= start < ends for start in starts)
    rule = read_starts(week.starts or "")
    walls = {(start.astimezone(ZoneInfo(zone)).weekday(), start.astimezone(ZoneInfo(zone)).time()) for start in starts}
    assert walls <= {(weekday, at) for weekday in rule.days for at in rule.times}
    # Weeks follow each other without a gap, whatever the clocks do.
    assert SeriesWeek("Cup", 2, zone, day + timedelta(days=7), day + timedelta(days=14)).window[0] == ends


def test_moments_are_taken_as_they_stand_and_those_outside_the_week_are_told() -> None:
    found = expand(read_starts("2031-04-08T18:20Z 2031-04-08T20:20+02:00 2031-05-01T10:00"), MONDAY, MONDAY + WEEK)
    assert found.starts == (at("2031-04-08T18:20"),)
    assert found.warnings == ("2031-05-01T10:00Z lies outside the week",)


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        ("", "no start time"),
        ("whenever", "neither a moment"),
        ("every 90min from 25:00", "neither a moment"),
        ("every 2min from 00:00", "closer than 5 minutes"),
        ("every 60min from 20:00 to 18:00", "never fires"),
        ("at 18:00 in Atlantis/Lost", "not a time zone"),
        ("2031-04-07", "no time of day"),
    ],
)
def test_start_times_that_nobody_can_mean_are_refused_with_the_reason(text: str, reason: str) -> None:
    with pytest.raises(BadStarts, match=reason):
        read_starts(text)


def test_a_week_begins_at_midnight_in_its_zone_or_at_the_first_moment_after_it() -> None:
    week = SeriesWeek("Cup", 1, "Europe/Oslo", date(2031, 3, 24), date(2031, 3, 31))
    assert week.window == (at("2031-03-23T23:00"), at("2031-03-30T22:00"))
    # In Cairo the clocks jump from midnight to one o'clock.
    jump = SeriesWeek("Cup", 1, "Africa/Cairo", date(2026, 4, 24), date(2026, 5, 1))
    assert jump.window[0] == at("2026-04-23T22:00")


@settings(deadline=None)
@given(
    st.lists(
        st.builds(
            lambda number, low, span, step, unit: Changeable(f"setting {number}", low, low, low + span, step, unit),
            st.integers(0, 10_000),
            st.integers(-50, 50).map(float),
            st.integers(1, 50).map(float),
            st.sampled_from([None, 0.5, 1.0]),
            st.sampled_from([None, "%", "kPa", "mm"]),
        ),
        unique_by=lambda item: item.name,
        max_size=5,
    )
)
def test_what_may_be_changed_is_read_back_as_it_was_written(items: list[Changeable]) -> None:
    assert read_changeables(write_changeables(tuple(items))) == tuple(items)


def test_what_may_be_changed_can_be_a_name_alone_and_nonsense_is_refused() -> None:
    assert read_changeables("ABS | brake balance=56 % [50..60 by 0.5]") == (
        Changeable("ABS"),
        Changeable("brake balance", 56.0, 50.0, 60.0, 0.5, "%"),
    )
    for bad in ("ABS=3 [9..1]", "ABS=30 [1..9]", "=3", "ABS | abs", "ABS=3 [1..9"):
        with pytest.raises(BadChangeable):
            read_changeables(bad)


def test_free_time_is_weekly_windows_without_days_off_and_single_slots_besides() -> None:
    free = Availability(
        (Window((0, 2), time(18, 30), time(22, 0)), Window((4,), time(22, 0), time(1, 0))),
        (DayOff(date(2031, 4, 9), date(2031, 4, 9), "holiday"),),
        (Slot(datetime(2031, 4, 9, 10), datetime(2031, 4, 9, 11)),),
    )
    assert free_spans(free, ZoneInfo("UTC"), MONDAY, MONDAY + WEEK) == (
        (at("2031-04-07T18:30"), at("2031-04-07T22:00")),
        (at("2031-04-09T10:00"), at("2031-04-09T11:00")),
        (at("2031-04-11T22:00"), at("2031-04-12T01:00")),
    )
    # The same evenings lie an hour earlier in UTC once summer time has begun.
    spring = free_spans(
        Availability((Window((6, 0), time(20, 0), time(21, 0)),)), OSLO, at("2031-03-23T00:00"), at("2031-04-01T00:00")
    )
    assert [start.hour for start, _ in spring] == [19, 19, 18, 18]
    gap = free_spans(
        Availability((Window((6,), time(2, 30), time(4, 0)),)), OSLO, at("2031-03-29T12:00"), at("2031-03-31T00:00")
    )
    assert gap == ((at("2031-03-30T01:00"), at("2031-03-30T02:00")),)  # what is left of it begins at the jump


@settings(deadline=None)
@given(
    st.lists(st.tuples(st.integers(0, 6), st.integers(0, 47), st.integers(1, 47)), max_size=6),
    st.integers(0, 335),
    st.integers(1, 8),
)
def test_free_spans_hold_what_some_window_holds(windows: list[tuple[int, int, int]], start: int, length: int) -> None:
    """Against a plain table of half hours."""
    free = Availability(tuple(Window((day,), _half(first), _half((first + span) % 48)) for day, first, span in windows))
    table = {(day * 48 + first + index) % 336 for day, first, span in windows for index in range(span)}
    spans = free_spans(free, ZoneInfo("UTC"), MONDAY, MONDAY + 2 * WEEK)
    begins = MONDAY + timedelta(days=3, minutes=30 * start)
    if begins + timedelta(minutes=30 * length) > MONDAY + 2 * WEEK:
        return
    wanted = all((3 * 48 + start + index) % 336 in table for index in range(length))
    assert covers(spans, begins, begins + timedelta(minutes=30 * length)) == wanted


def _half(index: int) -> time:
    return time(index // 2, 30 * (index % 2))


def entry(
    key: str, driver: str, *starts: str, minutes: float = 60, rig: str | None = None, cars: tuple[str, ...] = ("EC",)
) -> Entry:
    offered = frozenset(at(f"2031-04-07T{hour:02d}:00") for hour in range(24))
    return Entry(key, driver, tuple(at(f"2031-04-07T{start}") for start in starts), offered, minutes, cars, rig)


def test_clashes_are_found_whatever_they_are_about_and_touching_starts_are_none() -> None:
    entries = [
        entry("a", "Ysolde", "18:00", "20:00"),
        entry("b", "Ysolde", "18:30", rig="cellar"),
        entry("c", "Corin", "19:00", rig="cellar"),
        entry("d", "Corin", "20:00", minutes=30),
        entry("e", "Teodora", cars=("HGV",)),
    ]
    free = {
        "Ysolde": ((at("2031-04-07T17:00"), at("2031-04-07T20:30")),),
        "Corin": None,
        "Teodora": ((at("2031-04-07T06:00"), at("2031-04-07T06:30")),),
    }
    found = clashes(
        entries, free, {"HGV": frozenset({"Ysolde"})}, {"cellar": ((at("2031-04-07T10:00"), at("2031-04-07T19:45")),)}
    )
    assert {(item.kind, item.entry, item.other) for item in found} == {
        ("no_time", "a", None),  # the race at eight ends after half past
        ("two_starts", "a", "b"),
        ("two_starts", "b", "a"),
        ("not_offered", "b", None),
        ("rig_taken", "b", "c"),
        ("rig_taken", "c", "b"),
        ("rig_closed", "c", None),
        ("no_start", "e", None),
        ("no_car", "e", None),
    }
    assert starts_in_time(sorted(entries[0].offered), 60, free["Ysolde"] or ()) == [
        at(f"2031-04-07T{hour}:00") for hour in (17, 18, 19)
    ]


def test_a_target_follows_its_rule_to_the_microsecond() -> None:
    benchmark = Benchmark(92_123_457, "A guest")
    assert target_us(None, benchmark, 1) is None
    assert target_us(Target("time", 91_000_001), benchmark, None) == 91_000_001
    assert target_us(Target("benchmark", per_cent=101.5), benchmark, None) == 93_505_309  # 93,505,308.855
    assert target_us(Target("ideal"), benchmark, 90_000_000) == 90_000_000
    assert target_us(Target("ideal", per_cent=100.5), benchmark, None) is None
    for bad in (Target("luck"), Target("time"), Target("benchmark", per_cent=300)):
        with pytest.raises(BadTarget):
            bad.check(benchmark)
    with pytest.raises(BadTarget, match="no benchmark"):
        Target("benchmark").check(None)


def test_conditions_differ_by_what_both_sides_know_and_the_clock_is_a_circle() -> None:
    race = Conditions(datetime(2031, 6, 1, 0, 30), 12.0, 14.0, "wet")
    practised = Conditions(datetime(2031, 6, 9, 23, 30), 19.0, None, "dry")
    found = {item.what: (item.by, item.matters) for item in differences(practised, race, Settings())}
    assert found == {"wetness": (None, True), "time_of_day": (60, False), "air_temp_c": (7.0, True)}
    assert not like(practised, race, Settings())
    assert like(Conditions(wetness="wet", air_temp_c=17.9), race, Settings())
    assert like(Conditions(), race, Settings()), "what nobody knows differs from nothing"


def facts(*entries: EntryFacts, **changes: object) -> WeekFacts:
    values = {
        "key": "w",
        "begins": MONDAY,
        "ends": MONDAY + WEEK,
        "offered": (MONDAY + timedelta(days=6),),
        "has_combination": True,
        "has_target": True,
    }
    return WeekFacts(**{**values, "entries": entries, **changes})  # type: ignore[arg-type]


def test_what_needs_somebody_is_told_when_it_is_time_and_no_sooner() -> None:
    start = MONDAY + timedelta(days=4)
    lazy = EntryFacts("e", "Ysolde", 0, (start,))
    keen = EntryFacts("f", "Corin", 30, (start,))
    week = facts(lazy, keen)
    assert needs([week], MONDAY + timedelta(days=1), Settings()) == ()
    (need,) = needs([week], start - timedelta(days=2), Settings())
    assert (need.kind, need.drivers, need.due) == ("no_laps", ("Ysolde",), start)
    assert needs([week], start + timedelta(hours=1), Settings()) == (), "what is over can't be chased"
    assert [need.kind for need in needs([facts()], MONDAY, Settings())] == ["no_entries"]
    assert [need.kind for need in needs([facts(keen, has_target=False)], MONDAY, Settings())] == ["no_target"]
    assert [need.kind for need in needs([facts(keen, unread=3)], MONDAY, Settings())] == ["no_references"]
    assert needs([facts(keen, unread=3)], MONDAY - timedelta(days=4), Settings()) == (), (
        "a week that is far off needs no references yet"
    )
    assert [need.kind for need in needs([facts(has_combination=False)], MONDAY, Settings())] == ["no_track"]
    assert needs([facts()], MONDAY - timedelta(days=8), Settings()) == ()


def test_drivers_with_the_same_need_share_a_line_and_the_pressing_one_comes_first() -> None:
    soon, later = MONDAY + timedelta(days=1), MONDAY + timedelta(days=6)
    wet = differences(Conditions(wetness="dry"), Conditions(wetness="wet"), Settings())
    entries = (
        EntryFacts("a", "Ysolde", 9, ()),
        EntryFacts("b", "Corin", 9, ()),
        EntryFacts("c", "Ilmar", 9, (later,), (), wet),
        EntryFacts("d", "Nerys", 9, (soon,), (Clash("two_starts", "d", soon, "x"),)),
    )
    found = needs([facts(*entries)], MONDAY, Settings())
    assert [(need.kind, need.drivers) for need in found] == [
        ("two_starts", ("Nerys",)),
        ("choose_start", ("Ysolde", "Corin")),
        ("conditions", ("Ilmar",)),
    ]
    assert found[2].differences == wet
