"""Who drives which race: the assignment against trying everything, the counting rule, and what is learned of points."""

from itertools import combinations, product

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.season.lineup import Form, Race, Scored, gap_of, line_up, points_rule, standings


def best_by_hand(
    races: list[Race],
    scored: list[Scored],
    past: dict[tuple[str, str], dict[str, float]],
    best: dict[str, int | None],
    most: int,
) -> float:
    """The most points that count, of every assignment there is."""
    series = {race.key: race.series for race in races}
    found = -1.0
    for bits in product((False, True), repeat=len(scored)):
        taken = [start for start, bit in zip(scored, bits, strict=True) if bit]
        if any(sum(start.race == race.key for start in taken) > race.places for race in races):
            continue
        periods = {race.key: race.period for race in races}
        each = [(start.driver, periods[start.race]) for start in taken]
        if any(each.count(one) > most for one in each):
            continue
        total = 0.0
        for driver, name in {(start.driver, series[start.race]) for start in taken} | past.keys():
            weeks = {
                **past.get((driver, name), {}),
                **{start.race: start.points for start in taken if (start.driver, series[start.race]) == (driver, name)},
            }
            total += standings(weeks, best[name]).total
        found = max(found, total)
    return found


@settings(max_examples=25, deadline=None)
@given(st.data())
def test_no_assignment_brings_more(data: st.DataObject) -> None:
    races = [Race("a1", "a", "1", data.draw(st.integers(1, 2))), Race("b1", "b", "1", 1), Race("a2", "a", "2", 1)]
    starts = [(driver, race.key) for driver in ("Ada", "Bo", "Cy") for race in races if data.draw(st.booleans())]
    scored = [Scored(driver, race, float(data.draw(st.integers(0, 60)))) for driver, race in starts]
    past = {
        (driver, "a"): {f"w{number}": float(data.draw(st.integers(0, 60))) for number in range(2)}
        for driver in ("Ada", "Bo")
    }
    best: dict[str, int | None] = {"a": data.draw(st.sampled_from([None, 1, 2])), "b": None}
    most = data.draw(st.integers(1, 2))
    found = line_up(races, scored, past, best, most)
    assert found.proven and found.points == pytest.approx(best_by_hand(races, scored, past, best, most))
    assert len({(choice.driver, choice.race) for choice in found.choices}) == len(found.choices)


def test_the_margin_is_what_the_next_best_choice_loses() -> None:
    races = [Race("a1", "a", "1", 1), Race("b1", "b", "1", 1)]
    scored = [Scored("Ada", "a1", 50), Scored("Ada", "b1", 45), Scored("Bo", "a1", 40), Scored("Bo", "b1", 20)]
    found = line_up(races, scored, {}, {"a": None, "b": None}, told="1")
    assert {(choice.driver, choice.race): (choice.margin, choice.instead) for choice in found.choices} == {
        ("Ada", "b1"): (15.0, "Bo"),
        ("Bo", "a1"): (15.0, "Ada"),
    }
    assert found.points == 85


def test_a_start_that_is_dropped_anyway_goes_to_whom_it_counts_for() -> None:
    past = {("Ada", "a"): {"w1": 60.0, "w2": 58.0}}
    found = line_up(
        [Race("a3", "a", "3", 1)], [Scored("Ada", "a3", 55), Scored("Bo", "a3", 30)], past, {"a": 2}, told="3"
    )
    assert [(choice.driver, choice.counts) for choice in found.choices] == [("Bo", True)]
    assert found.choices[0].margin == 30.0


def test_what_counts_of_a_season() -> None:
    told = standings({"w1": 20.0, "w2": 31.0, "w3": 20.0, "w4": 0.0}, 2)
    assert (
        told.total == 51
        and told.counted == (("w2", 31.0), ("w1", 20.0))
        and told.dropped == (("w3", 20.0), ("w4", 0.0))
    )
    assert standings({"w1": 20.0}, None).dropped == () and standings({}, 3).total == 0


def test_gentle_drivers_win_where_tyres_decide() -> None:
    quick, gentle = Form(59.8e6, 60.2e6, 60_000), Form(60.0e6, 60.4e6, 20_000)
    short = [gap_of(form, 60e6, 6) for form in (quick, gentle)]
    long = [gap_of(form, 60e6, 40) for form in (quick, gentle)]
    assert short[0] is not None and short[1] is not None and short[0] < short[1]
    assert long[0] is not None and long[1] is not None and long[0] > long[1]
    assert gap_of(Form(60e6, None), 60e6, 10) is None
    assert gap_of(Form(None, 60e6), 60e6, 0) == 0


def test_points_are_learned_from_earlier_weeks() -> None:
    assert points_rule([]).expected(0.5) == 40
    rng = np.random.default_rng(5)
    gaps = rng.uniform(0, 2, 200)
    rule = points_rule([(float(gap), float(70 - 15 * gap + rng.normal())) for gap in gaps])
    assert rule.points == pytest.approx(70, abs=3) and rule.slope == pytest.approx(-15, abs=2) and rule.weeks == 200
    # Nobody gets more points for being slower, whatever three weeks say.
    assert points_rule([(0.1, 10.0), (1.0, 50.0), (2.0, 90.0)] * 20).slope == 0
    assert points_rule([(0.2, 44.0)]).expected(9.0) == 0
    assert [points_rule(list(some)).weeks for some in combinations([(0.1, 40.0), (0.2, 41.0)], 1)] == [1, 1]
