"""A caution while a plan is driven: exactly what trying every way on gives, on small races."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.race.caution import caution_gains, caution_windows
from fleet_rival.core.race.stops import CompoundPace, Rules, StopPlan, plans_of, time_of

SOFT = CompoundPace("soft", 60e6, 90_000, 80_000, 100_000, life=8)
HARD = CompoundPace("hard", 60.6e6, 25_000, 20_000, 30_000)


def every_way(compounds: list[CompoundPace], laps: int, most: int) -> list[tuple[tuple[str, int], ...]]:
    """All stints over so many laps, none longer than a set lasts."""
    if laps == 0:
        return [()]
    if most == 0:
        return []
    return [
        ((item.name, own), *rest)
        for item in compounds
        for own in range(1, min(laps, item.life or laps) + 1)
        for rest in every_way(compounds, laps - own, most - 1)
    ]


def by_hand(compounds: list[CompoundPace], rules: Rules, plan: StopPlan, lap: int, pit_us: float) -> float | None:
    by_name = {item.name: item for item in compounds}
    begun = stint = 0
    while lap > begun + plan.stints[stint][1]:
        begun += plan.stints[stint][1]
        stint += 1
    now, age, left = by_name[plan.stints[stint][0]], lap - begun, rules.laps - lap
    used = {name for name, _ in plan.stints[: stint + 1]}

    def allowed(ways: tuple[tuple[str, int], ...]) -> bool:
        return (
            rules.must <= used | {name for name, _ in ways}
            and rules.least_stops <= stint + len(ways) <= rules.most_stops
        )

    def took(ways: tuple[tuple[str, int], ...]) -> float:
        return sum(time_of(by_name[name], own) for name, own in ways)

    stop = [
        pit_us + (len(ways) - 1) * rules.pit_us + took(ways)
        for ways in every_way(compounds, left, rules.most_stops)
        if ways and allowed(ways)
    ]
    on = []
    for more in range(1, left + 1):
        if now.life is None or age + more <= now.life:
            further = time_of(now, age + more) - time_of(now, age)
            on += [
                further + len(ways) * rules.pit_us + took(ways)
                for ways in every_way(compounds, left - more, rules.most_stops)
                if allowed(ways)
            ]
    if not stop:
        return None
    return min(on) - min(stop) if on else rules.pit_us - pit_us


@settings(max_examples=25, deadline=None)
@given(
    st.integers(4, 9),
    st.integers(0, 1),
    st.sampled_from([frozenset(), frozenset({"hard"}), frozenset({"soft", "hard"})]),
    st.floats(2e5, 3e6),
    st.floats(0, 3e6),
    st.integers(3, 9),
)
def test_the_same_as_trying_every_way_on(
    laps: int, least: int, must: frozenset[str], pit: float, caution: float, life: int
) -> None:
    compounds = [
        CompoundPace("soft", 60e6, 300_000, 3e5, 3e5, life=life),
        CompoundPace("hard", 60.4e6, 100_000, 1e5, 1e5),
    ]
    rules = Rules(laps, must, least, most_stops=2, pit_us=pit)
    told = plans_of(compounds, rules, draws=10)
    if not told.plans:
        return
    gains = caution_gains(compounds, rules, told.plans[0], caution)
    assert len(gains) == laps - 1
    for lap, gain in enumerate(gains, 1):
        expected = by_hand(compounds, rules, told.plans[0], lap, caution)
        assert gain == (None if expected is None else pytest.approx(expected, abs=1))


def test_a_stop_that_costs_as_much_as_ever_wins_nothing() -> None:
    rules = Rules(30, pit_us=20e6)
    best = plans_of([SOFT, HARD], rules).plans[0]
    assert max(gain for gain in caution_gains([SOFT, HARD], rules, best, 20e6) if gain is not None) <= 1
    assert caution_windows([SOFT, HARD], rules, best, 20e6) == ()


def test_a_cheap_stop_pays_around_where_it_would_have_been() -> None:
    rules = Rules(30, frozenset({"soft", "hard"}), pit_us=20e6)
    best = plans_of([SOFT, HARD], rules).plans[0]
    planned = best.stints[0][1]
    windows = caution_windows([SOFT, HARD], rules, best, 8e6)
    assert any(window.first <= planned <= window.last for window in windows)
    assert max(window.best_us for window in windows) == pytest.approx(12e6, abs=2e6), (
        "a stop that must be is cheaper by twelve seconds"
    )
    for window in windows:
        assert window.first <= window.at <= window.last and window.best_us > 0


def test_compounds_that_nobody_knows_are_no_plan() -> None:
    with pytest.raises(ValueError, match="rain"):
        caution_gains([SOFT], Rules(5), StopPlan((("rain", 5),), 1, 1, 1, 1, 0), 1e6)


def test_every_way_is_every_way() -> None:
    assert len(every_way([SOFT, HARD], 3, 3)) == sum(2**parts * count for parts, count in ((1, 1), (2, 2), (3, 1)))
    assert all(sum(own for _, own in ways) == 3 for ways in every_way([SOFT, HARD], 3, 3))
