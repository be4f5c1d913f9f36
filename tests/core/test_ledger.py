"""The ledger: accounts that add up, and an influence that is booked once, to what it is owed to."""

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime, timedelta

import numpy as np
import pytest
from hypothesis import given
from hypothesis import settings as checked
from hypothesis import strategies as st

from fleet_rival.bench.accounts import ACCOUNTS, accounts_found, accounts_table, cold_found, cold_table
from fleet_rival.bench.options import TRIALS, Two, options_found, options_table, tried
from fleet_rival.bench.trials import Evening, made, practice
from fleet_rival.core.analysis import analyse
from fleet_rival.core.clinics import clinics_of
from fleet_rival.core.laps.lap import Incident, Lap
from fleet_rival.core.ledger import Book, Ledger, books_of
from fleet_rival.core.report import report
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Track

SEED = 611
DRIVER = "Ysolde Farrand"


def books(track: Track, laps: list[Lap], settings: Settings | None = None) -> dict[str, list[Book]]:
    settings = settings or Settings()
    analysis = analyse(track, laps, settings)
    clinics = clinics_of(track, analysis, {name: {} for name in analysis.drivers}, settings)
    return books_of(track, analysis, clinics, settings)


def ledger(track: Track, laps: list[Lap]) -> Ledger:
    found = books(track, laps)[DRIVER][0].ledger
    assert isinstance(found, Ledger)
    return found


def accounts(found: Ledger, run: int, number: int, laps: list[Lap]) -> dict[str, int | None]:
    at = [(item.run, item.number) for item in laps].index((run, number))
    return dict(next(item for item in found.laps() if item.position == at).accounts)


def sums(found: Ledger) -> bool:
    return all(sum(value or 0 for value in item.accounts.values()) == item.time_us for item in found.laps())


@pytest.mark.parametrize("evening", ACCOUNTS, ids=[item.name for item in ACCOUNTS])
def test_accounts_add_up_and_intervals_hold_the_truth(evening: Evening) -> None:
    [held] = accounts_found(3, SEED, [evening])
    assert held.exact
    if evening.setups > 1:
        assert sum(held.setups) >= 0.75 * len(held.setups) > 0
    if evening.tyres is not None:
        assert sum(held.tyres) >= 0.8 * len(held.tyres) > 0 and sum(held.net) >= 2


@pytest.mark.parametrize("two", TRIALS, ids=[item.name for item in TRIALS])
def test_a_trial_tells_what_is_true_and_is_no_mistake(two: Two) -> None:
    [found] = options_found(3, SEED, [two])
    assert found.right >= 2 and not found.false_mistakes


def test_cold_laps_are_proposed_bend_no_line_and_are_no_cliff() -> None:
    cold, none = cold_found(3, SEED)
    assert set(cold.proposed) <= {3, 4} and set(none.proposed) == {0}
    assert not cold.cliffs and cold.net == none.net == 3


def test_the_tables_say_what_was_asked() -> None:
    assert "| 12 laps, two setups | yes |" in accounts_table(accounts_found(1, SEED, [ACCOUNTS[7]]))
    assert "| wins 0.08 s in the corner | 1 | 1 | 0 |" in options_table(options_found(1, SEED, [TRIALS[1]]))
    assert "| no cold lap | 1 | 0: 1 | 0 | 1 |" in cold_table(cold_found(1, SEED))


@given(seed=st.integers(0, 10_000), few=st.integers(1, 12), data=st.data())
@checked(max_examples=25, deadline=None)
def test_whatever_was_driven_accounts_add_up(seed: int, few: int, data: st.DataObject) -> None:
    """One lap, all alike, parts unknown, flags, incidents, rain and setups unnamed."""
    track, laps = practice(Evening("any", laps=few, runs=1, corners=6, setups=2), "heavy tails", seed)
    strange: dict[str, Callable[[Lap], Lap]] = {
        "as it was": lambda item: item,
        "equal": lambda item: replace(item, segments=dict.fromkeys(item.segments, 10_000_000), time_us=70_000_000),
        "missing": lambda item: replace(
            item, segments={code: at for code, at in item.segments.items() if code != "T3"}
        ),
        "tow": lambda item: replace(item, flags=frozenset({"tow"})),
        "held up": lambda item: replace(item, flags=frozenset({"traffic:T2"})),
        "spin": lambda item: replace(item, incidents=(Incident("spin", "T4"),)),
        "wet": lambda item: replace(item, wetness="wet"),
        "unnamed": lambda item: replace(item, setup=None),
    }
    changed = [strange[data.draw(st.sampled_from(sorted(strange)))](item) for item in laps]
    for some in books(track, changed).values():
        for book in some:
            assert isinstance(book.ledger, str) or sums(book.ledger)


def test_each_influence_stands_in_its_account() -> None:
    evening = Evening("all at once", setups=2, effect=0.0, habit=8, tyres=(3,), laps=72)
    truth = made(evening, "normal", SEED)
    late = 400_000
    laps = [
        replace(item, segments={**item.segments, "T6": item.segments["T6"] + late}, time_us=item.time_us + late)
        if item.setup == "v2"
        else item
        for item in truth.laps
    ]
    held_up = [
        replace(
            item,
            segments={**item.segments, "T11": item.segments["T11"] + 900_000},
            time_us=item.time_us + 900_000,
            flags=frozenset({"traffic:T11"}),
        )
        if (item.run, item.number) == (2, 5)
        else item
        for item in laps
    ]
    found = ledger(truth.track, held_up)
    assert sums(found) and found.setups is not None and found.setups.against == "v1"
    told = accounts(found, 2, 5, held_up)
    assert told["setup"] == pytest.approx(late, abs=60_000) and told["traffic"] == pytest.approx(900_000, abs=60_000)
    assert accounts(found, 1, 5, held_up)["setup"] == 0
    fresh, old = accounts(found, 1, 3, held_up)["tyres"], accounts(found, 1, 13, held_up)["tyres"]
    assert fresh is not None and old is not None and old - fresh == pytest.approx(600_000, abs=150_000)
    tyres = found.effects.tyres
    assert tyres is not None and tyres.weights["T3"] > 0.7
    assert sum(tyres.weights.values()) == pytest.approx(1)
    slips = [item.accounts["slip"] or 0 for item in found.laps()]
    assert 8 < sum(slip > 150_000 for slip in slips) < 22, "the habit at T8, on one lap in five of 72"
    assert told["fuel"] is None and told["track"] is None and {"fuel", "track"} <= found.reasons.keys()


def test_setups_driven_one_after_the_other_are_booked_with_a_caution() -> None:
    track, laps = practice(Evening("in order", setups=2, effect=0.01), "normal", SEED)
    assert not ledger(track, laps).cautions, "in turn: six runs, five switches"
    late = [replace(item, setup="v1" if (item.run or 0) <= 3 else "v2") for item in laps]
    found = ledger(track, late)
    assert found.setups is not None and "one after the other" in found.cautions["setup"] and sums(found)


def test_two_setups_of_one_run_each_cant_be_told_from_two_runs() -> None:
    track, laps = practice(Evening("two runs", laps=24, runs=2, setups=2), "normal", SEED)
    found = ledger(track, laps)
    assert found.setups is None and "one run of each setup" in found.reasons["setup"]
    assert {item.accounts["setup"] for item in found.laps()} == {None} and sums(found)
    one = ledger(track, [replace(item, setup="v1") for item in laps])
    assert {item.accounts["setup"] for item in one.laps()} == {0}, (
        "with one setup nothing is shifted, and that is known"
    )
    assert "setup" not in one.reasons


def test_a_track_that_dries_is_booked_to_it_where_others_tell() -> None:
    evening = Evening("drying", laps=24, runs=1, effect=0.0)
    track, mine = practice(evening, "normal", SEED)
    _, theirs = practice(evening, "normal", SEED + 1)
    begun = datetime(2031, 4, 7, 20, 0)

    def dried(item: Lap, driver: str) -> Lap:
        at = begun + timedelta(seconds=90 * item.number)
        share = 0.03 * float(np.exp(-item.number / 8))
        segments = {code: round(time * (1 + share)) for code, time in item.segments.items()}
        return replace(item, driver=driver, started_at=at, segments=segments, time_us=sum(segments.values()))

    laps = [dried(item, DRIVER) for item in mine] + [dried(item, "Corin Ashgrove") for item in theirs]
    found = ledger(track, laps)
    early, end = (accounts(found, 1, number, laps)["track"] or 0 for number in (3, 24))
    assert early > 400_000 > end and sums(found)


def test_nothing_but_lap_times_has_fewer_accounts_and_says_so() -> None:
    track, laps = practice(Evening("bare", setups=2, effect=0.01), "normal", SEED)
    bare = [replace(item, segments={}) for item in laps]
    found = ledger(track, bare)
    assert found.depth == "lap" and found.codes == ("lap",) and sums(found)
    assert {item.accounts["slip"] for item in found.laps()} == {0}


def test_what_is_won_back_behind_the_line_is_booked_there() -> None:
    track, laps = tried(TRIALS[0], "normal", SEED)
    found = ledger(track, laps)
    by_part = dict(zip(found.codes, found.booked_us[2].T, strict=True))
    assert np.ptp(by_part["T13"]) == pytest.approx(50_000, abs=30_000)
    assert np.ptp(by_part["L0"]) == pytest.approx(100_000, abs=30_000)


def test_the_report_tells_the_ledger_trials_and_proposals() -> None:
    track, laps = tried(TRIALS[2], "normal", SEED)
    analysis = analyse(track, laps)
    clinics = clinics_of(track, analysis, {DRIVER: {}})
    told = report(analysis, clinics, books=books_of(track, analysis, clinics, Settings()))["drivers"][DRIVER]
    assert len(told["ledger"]["laps"]) == len(laps)
    assert all(sum(v or 0 for v in row["accounts"].values()) == row["time_us"] for row in told["ledger"]["laps"])
    [trial] = told["trials"]
    assert (trial["where"], {trial["first"], trial["second"]}) == ("T6", {"high", "low"})
    assert trial["odds"]["label"] == "low" and trial["odds"]["won_us"] < 0 < trial["odds"]["lost_us"]
    assert trial["race"]["low_us"] <= trial["race"]["shift_us"] <= trial["race"]["high_us"]
    assert told["proposals"] == []


def test_setups_driven_one_after_the_other_get_no_verdict() -> None:
    """Who drives the new one second may have learned meanwhile; the effect is told, nobody is told to take it."""
    track, laps = practice(Evening("in order", setups=2, effect=0.01), "normal", SEED)
    [alternating] = books(track, laps)[DRIVER][0].trials
    assert alternating.race is not None and not alternating.reason
    in_order = [replace(item, setup="v1" if (item.run or 0) <= 3 else "v2") for item in laps]
    [trial] = books(track, in_order)[DRIVER][0].trials
    assert trial.race is None and "1 of the 3 switches" in trial.reason


def test_falloff_by_part_adds_up_to_the_laps_and_laps_that_are_cold_by_shape_take_no_part() -> None:
    track, laps = practice(Evening("cold start", laps=60, runs=4, tyres=(3,)), "normal", SEED)
    late = {2: 1.1, 3: 0.7, 4: 0.25}

    def chilled(item: Lap) -> Lap:
        share = late.get(item.number, 0.0) / (item.time_us / 1e6)
        segments = {code: round(time * (1 + share)) for code, time in item.segments.items()}
        return replace(item, segments=segments, time_us=sum(segments.values()))

    found = ledger(track, [chilled(item) for item in laps])
    tyres = found.effects.tyres
    assert tyres is not None and tyres.net is not None
    assert sum(tyres.us_per_lap.values()) == pytest.approx(tyres.net.value)
    assert tyres.net.low < 60_000 < tyres.net.high and tyres.weights["T3"] > 0.6
    told = {number: accounts(found, 2, number, laps)["cold"] or 0 for number in (2, 3, 4, 5, 9)}
    assert told[2] > told[3] > told[4] > 100_000 and told[5] == told[9] == 0 and sums(found)
