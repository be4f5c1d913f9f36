"""The ideal laps: the worked example, brute force on small cases, and what always holds."""

from itertools import product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.analysis import analyse
from fleet_rival.core.ideals import Ideals, best_of, ideals_of
from fleet_rival.core.ideals.best_of import Place, best_of_run
from fleet_rival.core.laps.lap import Incident, Lap
from fleet_rival.core.laps.marks import judge
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Corner, Sector, Track
from tests.making import counts, lap, track, whole_lap

PLAIN = Settings(cold_laps=0)


def ideals(layout: Track, laps: list[Lap]) -> Ideals:
    judged = judge(layout, laps, PLAIN)
    return ideals_of(layout, judged, [index for index, item in enumerate(judged) if item.flying])


def sector_lap(number: int, *seconds: float) -> Lap:
    sectors = {f"S{index + 1}": round(time * 1e6) for index, time in enumerate(seconds)}
    return whole_lap(number, sum(seconds), sectors=sectors)


def worked_example(linked: bool = False) -> Ideals:
    corners = (
        Corner("T1", 250, 290, 330, linked_to_next=linked),
        Corner("T2", 340, 360, 380),
        Corner("T3", 700, 720, 740),
    )
    layout = Track(
        "Quernholm", "Short", "street", 1000, (Sector("S1", 0), Sector("S2", 300), Sector("S3", 700)), corners
    )
    return ideals(
        layout, [sector_lap(1, 30.0, 40.0, 22.0), sector_lap(2, 29.8, 40.4, 21.9), sector_lap(3, 30.1, 39.9, 22.3)]
    )


def test_worked_example() -> None:
    found = worked_example()
    assert found.time_us("sector") == 91_600_000
    assert found.time_us("unbroken") == 91_800_000
    assert [(part.code, part.lap.number) for part in found.values["unbroken"].parts] == [
        ("S2", 1),
        ("S3", 1),
        ("S1", 2),
    ]
    assert found.time_us("linked_qualifying") == 91_600_000


def test_worked_example_with_the_first_two_sectors_linked() -> None:
    found = worked_example(linked=True)
    assert found.time_us("linked_qualifying") == found.time_us("linked_race") == 91_900_000
    assert [(part.code, part.lap.number) for part in found.values["linked_qualifying"].parts] == [
        ("S1", 1),
        ("S2", 1),
        ("S3", 2),
    ]


def test_a_linked_last_corner_must_be_followed_by_its_own_next_lap_in_the_race() -> None:
    layout = track(2, linked=(1,), sectors=2)
    laps = [lap(1, 5, 10, 9.0, layout=layout), lap(2, 5.5, 10.5, 10, layout=layout), lap(3, 5, 9.9, 10, layout=layout)]
    found = ideals(layout, laps)
    assert found.time_us("linked_qualifying") == 23_900_000  # L0 and T1 of lap 3, T2 of lap 1
    # T2 of lap 1 gives up the start of lap 2 (5.5 + 10.5); T2 of lap 2 is followed by lap 3.
    assert found.time_us("linked_race") == 24_900_000


times = st.integers(min_value=1, max_value=9)


@st.composite
def driven(draw: st.DrawFn) -> tuple[Track, list[Lap]]:
    """Up to six laps over up to four segments, whole seconds so that ties happen, with gaps, strikes, incidents and
    flags.
    """
    corners = draw(st.integers(1, 3))
    linked = tuple(draw(st.sets(st.integers(0, corners - 1))))
    layout = track(corners, linked, sectors=corners)
    laps = []
    for number in range(1, draw(st.integers(1, 6)) + 1):
        facts: dict[str, object] = {
            "kind": draw(st.sampled_from(["flying"] * 5 + ["out"])),
            "valid": draw(st.sampled_from([True] * 5 + [False])),
        }
        if draw(st.integers(0, 4)) == 0:
            facts["strikes"] = (draw(st.sampled_from([corner.code for corner in layout.corners])),)
        if draw(st.integers(0, 6)) == 0:
            facts["incidents"] = (Incident("spin", draw(st.sampled_from([corner.code for corner in layout.corners]))),)
        if draw(st.integers(0, 5)):
            laps.append(
                lap(
                    number,
                    *[draw(times) for _ in layout.segment_parts],
                    layout=layout,
                    run=draw(st.sampled_from([1, 1, 1, 2])),
                    **facts,
                )
            )
    return layout, laps


def brute_force(layout: Track, laps: list[Lap], race: bool) -> int | None:
    """Every assignment of laps to segments, kept where each join is allowed: the definition, word by word."""
    judged = judge(layout, laps, PLAIN)
    flying = [index for index, item in enumerate(judged) if item.flying]
    parts = layout.segment_parts
    closed = layout.closed_boundaries(parts)
    best: int | None = None
    for chosen in product(flying, repeat=len(parts)):
        if not all(counts(layout, judged[index], part) for index, part in zip(chosen, parts, strict=True)):
            continue
        if any(chosen[k] != chosen[k - 1] and k in closed for k in range(1, len(parts))):
            continue
        if race and judged[chosen[-1]].next_lap != chosen[0] and 0 in closed:
            continue
        total = sum(judged[index].lap.segments[part.code] for index, part in zip(chosen, parts, strict=True))
        best = total if best is None else min(best, total)
    return best


@settings(max_examples=250, deadline=None)
@given(driven())
def test_the_linked_ideals_are_what_brute_force_finds(case: tuple[Track, list[Lap]]) -> None:
    layout, laps = case
    found = ideals(layout, laps)
    if not laps or found.time_us("segment") is None:
        return
    for name, race in (("linked_qualifying", False), ("linked_race", True)):
        assert found.time_us(name) == brute_force(layout, laps, race)
        if name in found.values:
            assert found.time_us(name) == sum(part.time_us for part in found.values[name].parts)


@settings(max_examples=250, deadline=None)
@given(driven())
def test_what_always_holds(case: tuple[Track, list[Lap]]) -> None:
    layout, laps = case
    judged = judge(layout, laps, PLAIN)
    found = ideals(layout, laps)
    sector, segment, unbroken, qualifying, race = (
        found.time_us(name) for name in ("sector", "segment", "unbroken", "linked_qualifying", "linked_race")
    )
    assert all(
        (found.time_us(name) is None) == (name in found.reasons)
        for name in ("sector", "segment", "unbroken", "linked_qualifying", "linked_race")
    )
    whole = [
        item.lap.time_us
        for item in judged
        if item.clean and all(counts(layout, item, part) for part in layout.segment_parts + layout.sector_parts)
    ]
    for time in whole:
        assert unbroken is not None and unbroken <= time
        assert qualifying is not None and qualifying <= time
    if segment is not None and qualifying is not None:
        assert segment <= qualifying
        if race is not None:
            assert qualifying <= race
    if segment is not None and sector is not None:
        assert segment <= sector


def test_the_team_ideal_takes_each_part_from_whoever_drove_it_first() -> None:
    layout = track(2, sectors=2)
    mine = [lap(number, 5, 10, 9, layout=layout, driver="Ysolde Farrand") for number in (1, 2)]
    theirs = [lap(1, 4, 11, 9, layout=layout, driver="Corin Ashgrove")]
    guest = [lap(1, 1, 1, 1, layout=layout, driver="Visitor", flags=frozenset({"guest"}))]
    team = analyse(layout, mine + theirs + guest, PLAIN).team
    assert team.segment_us == 23_000_000
    assert [(part.code, part.lap.driver, part.lap.number) for part in team.parts] == [
        ("L0", "Corin Ashgrove", 1),
        ("T1", "Ysolde Farrand", 1),
        ("T2", "Corin Ashgrove", 1),
    ]


def test_best_of_n_follows_its_formula() -> None:
    laps = [round((80 + index / 10) * 1e6) for index in range(100)]
    sure, half = best_of(laps, 1.0), best_of(laps, 0.5)
    assert [row.laps for row in sure] == [1, 2, 3, 5, 10]
    # With every lap counting, the median of the best of one is the median lap, of two the lap at F = 1 − √½; smoothed,
    # by a fiftieth of the range.
    assert sure[0].p50_us == pytest.approx(84.95e6)
    assert sure[1].p50_us == pytest.approx(80e6 + ((1 - 0.5**0.5) * 100 - 0.5) * 1e5, abs=0.2e6)
    # With every second lap lost, one lap is at most as good as its slowest with probability one half.
    assert half[0].p90_us is None and half[0].p50_us == pytest.approx(max(laps))
    assert half[4].p90_us is not None
    medians = [row.p50_us for row in half]
    assert medians == sorted(medians, reverse=True)


def test_a_cold_first_lap_does_not_help_the_best_of_two_as_much() -> None:
    warm, cold = tuple(range(80_000_000, 81_000_000, 50_000)), tuple(range(82_000_000, 83_000_000, 50_000))
    behind_an_out_lap = best_of_run([Place(cold, 0.0), Place(warm, 0.0)])
    assert behind_an_out_lap[0].p50_us == pytest.approx(82.475e6, abs=60_000)
    assert behind_an_out_lap[1].p50_us == pytest.approx(80.475e6, abs=60_000)
