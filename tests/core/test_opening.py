"""Push or save at the start, against simulated drivers who do both."""

from itertools import count

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.pace.runs import PaceRun
from fleet_rival.core.race.opening import FIRST_LAPS, Opening, opening

FALLOFF = 40_000


def run_of(session: str, run: int, times_us: list[float]) -> PaceRun:
    laps = tuple(
        Lap(driver="A", session=session, run=run, number=number, time_us=round(time), segments={})
        for number, time in enumerate(times_us, 1)
    )
    return PaceRun(session, run, tuple(range(len(laps))), laps, 0)


def driven(
    rng: np.random.Generator,
    cost: float,
    *,
    sessions: int = 6,
    runs: int = 3,
    pushed: float = 0.3,
    scatter: float = 0.1,
) -> list[PaceRun]:
    """Days that differ by more than anything else, and runs that begin faster or slower; all in seconds."""
    out = []
    for session in range(sessions):
        day = rng.normal(0, 0.8)
        for run in range(runs):
            won = rng.normal(0, pushed)
            lost = cost * won - 0.05 * run
            times = [
                1e6
                * (
                    90
                    + day
                    - (won if number <= FIRST_LAPS else 0)
                    + (lost if number > FIRST_LAPS else 0)
                    + rng.normal(0, scatter)
                )
                + FALLOFF * number
                for number in range(1, 13)
            ]
            out.append(run_of(str(session), run, times))
    return out


def told_of(runs: list[PaceRun], laps: int = 20) -> Opening:
    found = opening(runs, FALLOFF, laps)
    assert found is not None
    return found


def test_what_it_costs_is_found_though_days_differ_and_laps_scatter() -> None:
    rng = np.random.default_rng(11)
    for cost in (0.0, 0.15, 0.6):
        found = [told_of(driven(rng, cost)) for _ in range(200)]
        known = [item for item in found if item.cost is not None]
        assert len(known) > 190
        assert float(np.mean([item.cost for item in known if item.cost is not None])) == pytest.approx(cost, abs=0.03)
        inside = sum(item.low <= cost <= item.high for item in known if item.low is not None and item.high is not None)
        assert inside / len(known) > 0.9


def test_a_wrong_verdict_is_rare() -> None:
    rng = np.random.default_rng(12)
    cheap, dear = ([told_of(driven(rng, cost, sessions=8)).verdict for _ in range(100)] for cost in (0.0, 0.6))
    assert cheap.count("push") > 50 and cheap.count("save") <= 3
    assert dear.count("save") > 80 and dear.count("push") <= 1


def test_runs_that_differ_by_chance_alone_tell_nothing() -> None:
    rng = np.random.default_rng(13)
    found = [told_of(driven(rng, 0.0, pushed=0.0, scatter=0.3)) for _ in range(100)]
    assert sum(item.verdict is not None for item in found) <= 5
    assert sum("too much alike" in item.reason for item in found) > 80


@given(st.floats(0.05, 2), st.integers(5, 60))
def test_even_is_where_nothing_is_won_or_lost(won: float, laps: int) -> None:
    found = opening([], FALLOFF, laps)
    assert found is not None and found.verdict is None
    assert won * FIRST_LAPS - found.even * won * (laps - FIRST_LAPS) == pytest.approx(0, abs=1e-9)


@pytest.mark.parametrize(
    ("runs", "why"),
    [
        ([], "only 0 long runs"),
        ([run_of(str(number), 1, [90e6] * 10) for number in range(5)], "5 more stood alone"),
        ([run_of("1", number, [90e6] * 10) for number in range(8)], "too much alike"),
        ([run_of("1", number, [90e6] * 6) for number in range(8)], "only 0 long runs"),
    ],
    ids=["none", "a session each", "all the same", "too short"],
)
def test_what_cannot_be_told_has_its_reason(runs: list[PaceRun], why: str) -> None:
    found = told_of(runs)
    assert found.cost is None and found.verdict is None and why in found.reason
    assert opening(runs, FALLOFF, FIRST_LAPS) is None


def test_the_order_of_runs_in_a_session_is_no_effect_of_their_start() -> None:
    """A track that comes in makes each next run faster throughout; nobody pushed."""
    rng = np.random.default_rng(14)
    numbers = count()
    runs = [
        run_of(
            str(session),
            next(numbers),
            [1e6 * (90 - run + rng.normal(0, 0.05)) + FALLOFF * lap for lap in range(1, 13)],
        )
        for session in range(4)
        for run in range(4)
    ]
    assert told_of(runs).verdict is None
