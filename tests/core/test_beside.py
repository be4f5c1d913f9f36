"""Drivers side by side: who is slower everywhere has nothing to be shown, who is slower somewhere has."""

from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.core.corners.beside import side_by_side
from fleet_rival.core.corners.lap_to_show import lap_to_show
from fleet_rival.core.corners.references import PartFigures, Reference, part_figures
from fleet_rival.core.ideals.best_of import odds_of
from fleet_rival.core.laps.marks import judge
from fleet_rival.core.settings import Settings
from tests.making import lap, track


def figures(*times: int | None) -> dict[str, PartFigures]:
    made = {}
    for number, time in enumerate(times, 1):
        reference = None if time is None else Reference(Fraction(time), 8, candidate=False)
        made[f"T{number}"] = PartFigures(f"T{number}", 8, reference, None, None, {}, frozenset())
    return made


BASE = (8_000_000, 10_000_000, 12_000_000, 9_000_000, 11_000_000)


def test_slower_everywhere_is_nothing_to_show_and_slower_somewhere_is() -> None:
    slow = tuple(round(time * 1.02) for time in BASE)
    caught = (*slow[:2], slow[2] + 300_000, *slow[3:])
    told = side_by_side({"Fast": figures(*BASE), "Slow": figures(*slow), "Caught": figures(*caught)})
    assert set(told.owners.values()) == {"Fast"} and round(told.usual["Slow"], 4) == 0.02
    assert all(abs(cells["Slow"].excess_us) < 2 for cells in told.cells.values())
    assert round(told.cells["T3"]["Caught"].excess_us) == 300_000 and told.cells["T3"]["Caught"].behind_us == 540_000
    [pair] = told.pairs
    assert (pair.learner, pair.parts, round(pair.worth_us)) == ("Caught", ("T3",), 300_000)


def test_what_somebody_has_no_reference_for_is_left_out() -> None:
    told = side_by_side({"One": figures(BASE[0], None), "Other": figures(None, BASE[1]), "Nobody": figures(None, None)})
    assert told.owners == {"T1": "One", "T2": "Other"} and told.pairs == ()
    assert set(told.cells["T1"]) == {"One"} and "Nobody" not in told.usual
    assert side_by_side({}).cells == {}


@given(st.dictionaries(st.sampled_from("ABCD"), st.tuples(*[st.integers(8_000_000, 12_000_000)] * 4), min_size=1))
def test_the_owner_is_the_fastest_and_nobody_teaches_themselves(drivers: dict[str, tuple[int, ...]]) -> None:
    told = side_by_side({name: figures(*times) for name, times in drivers.items()})
    for number in range(4):
        code = f"T{number + 1}"
        assert drivers[told.owners[code]][number] == min(times[number] for times in drivers.values())
        assert min(cell.behind_us for cell in told.cells[code].values()) == 0
    for pair in told.pairs:
        assert pair.learner != pair.teacher and 1 <= len(pair.parts) <= 3 and pair.worth_us >= 20_000
    assert len({pair.learner for pair in told.pairs}) == len(told.pairs)


def test_the_lap_to_show_is_the_evenest_not_the_fastest() -> None:
    layout = track(corners=3)
    times = [(10.0, 20.0, 25.0, 30.0)] * 8
    brilliant = (9.0, 20.0, 25.3, 30.3)
    even = (10.0, 20.0, 25.0, 30.05)
    laps = [
        lap(number, *some, layout=layout)
        for number, some in enumerate([*[(10.1, 20.1, 25.1, 30.1)] * 8, brilliant, even, *times], 1)
    ]
    judged = judge(layout, laps, Settings())
    members = list(range(len(judged)))
    found = lap_to_show(judged, members, part_figures(layout, judged, members, Settings()))
    assert found is not None and found[0] == 10 and found[1] == 0
    assert lap_to_show(judged, [], part_figures(layout, judged, members, Settings())) is None


@given(
    st.lists(st.integers(60_000_000, 70_000_000), min_size=1, max_size=30),
    st.floats(0.3, 1.0),
    st.integers(1, 10),
    st.integers(60_000_000, 70_000_000),
)
def test_odds_rise_with_laps_and_with_the_target(times: list[int], rate: float, laps: int, target: int) -> None:
    odds = odds_of(times, rate, laps, target)
    assert 0 <= odds <= 1 - (1 - rate) ** laps + 1e-12
    assert (
        odds <= odds_of(times, rate, laps + 1, target) + 1e-12
        and odds <= odds_of(times, rate, laps, target + 100_000) + 1e-12
    )
    assert odds_of(times, 1.0, laps, max(times)) == 1
