"""What no reordering, renaming or scaling may change."""

from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.analysis import GroupAnalysis, analyse
from fleet_rival.core.laps.lap import Incident, Lap
from fleet_rival.core.laps.marks import judge
from fleet_rival.core.report import report
from fleet_rival.core.settings import Settings
from fleet_rival.core.words import MARKS
from tests.making import lap, track

LAYOUT = track(3, linked=(1,))
QUICK = Settings(bootstrap_resamples=0)
flags = st.sampled_from([(), (), (), ("tow",), ("traffic",), ("yellow",), ("cool",)])
events = st.sampled_from(
    [{}, {}, {}, {"strikes": ("T2",)}, {"strikes": ("T3",)}, {"incidents": (Incident("spin", "T3"),)}, {"valid": False}]
)


@st.composite
def practice(draw: st.DrawFn) -> list[Lap]:
    """Two drivers, up to three runs each, with whatever happens to laps."""
    laps = []
    for driver in ("Ysolde Farrand", "Corin Ashgrove"):
        for run in range(1, draw(st.integers(1, 3)) + 1):
            for number in range(1, draw(st.integers(1, 8)) + 1):
                segments = [draw(st.integers(5_000, 5_600)) / 1000 for _ in LAYOUT.segment_parts]
                kind = "out" if number == 1 else "flying"
                facts = draw(events)
                laps.append(
                    lap(
                        number,
                        *segments,
                        layout=LAYOUT,
                        run=run,
                        driver=driver,
                        kind=kind,
                        flags=frozenset(draw(flags)),
                        purpose="long",
                        **facts,
                    )
                )
    return laps


def groups(laps: list[Lap]) -> dict[str, GroupAnalysis]:
    return {name: driver.main for name, driver in analyse(LAYOUT, laps, QUICK).drivers.items()}


@settings(max_examples=80, deadline=None)
@given(practice(), st.randoms(use_true_random=False))
def test_the_order_of_the_rows_changes_nothing(laps: list[Lap], random: st.DataObject) -> None:
    shuffled = list(laps)
    random.shuffle(shuffled)  # type: ignore[attr-defined]
    assert report(analyse(LAYOUT, shuffled, QUICK)) == report(analyse(LAYOUT, laps, QUICK))


@settings(max_examples=80, deadline=None)
@given(practice())
def test_counts_and_marks_fit_together(laps: list[Lap]) -> None:
    for name in {item.driver for item in laps}:
        own = [item for item in laps if item.driver == name]
        judged = judge(LAYOUT, own, QUICK)
        assert len(judged) == len(own)
        for item in judged:
            assert not item.marks or item.flying
            assert item.marks.keys() <= set(MARKS)
            assert item.clean <= item.eligible <= item.flying
            assert not item.clean or not item.marks
        main = groups(own)[name]
        counts = main.counts
        assert counts["clean"] <= counts["eligible"] <= counts["flying"] <= counts["total"] == len(own)
        assert counts["flying"] - counts["clean"] <= sum(counts[mark] for mark in MARKS)


@settings(max_examples=60, deadline=None)
@given(practice())
def test_another_drivers_laps_change_nothing_of_mine(laps: list[Lap]) -> None:
    together, alone = groups(laps), groups([lap for lap in laps if lap.driver == "Ysolde Farrand"])
    assert together["Ysolde Farrand"] == alone["Ysolde Farrand"]


@settings(max_examples=60, deadline=None)
@given(practice(), st.integers(1, 5_000_000))
def test_a_slower_clock_in_one_segment_moves_that_reference_alone(laps: list[Lap], more: int) -> None:
    moved = [
        replace(lap, time_us=lap.time_us + more, segments={**lap.segments, "T1": lap.segments["T1"] + more})
        for lap in laps
    ]
    free = Settings(bootstrap_resamples=0, spoiled_floor_s=1e6, cool_lap_pct=1e6)
    for name, driver in analyse(LAYOUT, laps, free).drivers.items():
        other = analyse(LAYOUT, moved, free).drivers[name].main
        for code, figures in driver.main.segments.items():
            step = more if code == "T1" else 0
            before, after = figures.reference, other.segments[code].reference
            assert (before is None) == (after is None)
            if before is not None and after is not None:
                assert after.time_us - before.time_us == step


@settings(max_examples=60, deadline=None)
@given(practice())
def test_a_lap_set_aside_is_evidence_no_more(laps: list[Lap]) -> None:
    before = groups(laps)["Ysolde Farrand"]
    aside = [replace(lap, said={"practice_only": True}) if lap.driver == "Ysolde Farrand" else lap for lap in laps]
    after = groups(aside)["Ysolde Farrand"]
    assert after.counts["clean"] == after.counts["eligible"] == 0
    assert all(figures.n == 0 for figures in after.segments.values())
    # Its parts may still be part of an ideal: they were driven.
    assert after.ideals.time_us("segment") == before.ideals.time_us("segment")
