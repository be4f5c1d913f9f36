"""The ladder in words: what each step says, and that the numbers in it are the figures."""

import re

from hypothesis import given, settings

from fleet_rival.core.analysis import analyse
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Track
from fleet_rival.core.words import MARKS
from fleet_rival.wording.ladder import Rung, ladder
from fleet_rival.wording.marks import MARK_WORDS, SURE_WORDS
from tests.core.test_ideals import driven
from tests.making import lap, track, whole_lap

PLAIN = Settings(cold_laps=0, bootstrap_resamples=0)


def rungs(layout: Track, laps: list[Lap], team: bool = True) -> dict[str, Rung]:
    analysis = analyse(layout, laps, PLAIN)
    group = next(iter(analysis.drivers.values())).main
    return {rung.name: rung for rung in ladder(layout, group, analysis.team if team else None)}


def test_the_paper_step_names_the_corners_that_exclude_each_other() -> None:
    layout = track(3, linked=(1,))
    found = rungs(layout, [lap(1, 5, 10, 9, 12, layout=layout), lap(2, 5, 10, 11, 10, layout=layout)])
    assert found["segment"].step_words == "2.000 s on paper only: T2 and T3 can't both be had."
    assert found["segment"].step_us == -2_000_000
    assert found["team"].step_words == "The driver owns every best part."


def test_an_unbroken_circuit_says_where_it_starts() -> None:
    layout = track(3)
    found = rungs(layout, [lap(1, 6, 10, 9, 10, layout=layout), lap(2, 5, 10, 9, 12, layout=layout)])
    assert found["best"].time_us == 35_000_000 and found["unbroken"].time_us == 34_000_000
    assert re.fullmatch(
        r"1\.000 s that were driven already, only from S\d across the line\.", found["unbroken"].step_words
    )


def test_what_cannot_be_told_says_why() -> None:
    found = rungs(track(3), [whole_lap(1, 60), whole_lap(2, 61)], team=False)
    assert "team" not in found
    assert found["best"].time_us == 60_000_000 and found["best"].step_words == "Out of 2 flying laps."
    for name in ("unbroken", "sector", "linked_race", "linked_qualifying", "segment"):
        assert found[name].time_us is None and found[name].parts == ()
        assert found[name].step_words.startswith("Can't be told: no s")


@settings(max_examples=120, deadline=None)
@given(driven())
def test_each_rung_adds_up_and_its_words_carry_its_step(case: tuple[Track, list[Lap]]) -> None:
    layout, laps = case
    if not laps:
        return
    above: int | None = None
    for rung in rungs(layout, laps).values():
        assert rung.title and rung.meaning.endswith(".")
        if rung.time_us is None:
            assert rung.step_us is None and rung.step_words.startswith("Can't be told")
            continue
        assert sum(part.time_us for part in rung.parts) == rung.time_us
        assert all((part.driver is not None) == (rung.name == "team") for part in rung.parts)
        if above is None:
            assert rung.step_us is None
        else:
            assert rung.step_us == rung.time_us - above
            if rung.step_us:
                assert f"{abs(rung.step_us) / 1e6:.3f} s" in rung.step_words or rung.step_us > 0
        above = rung.time_us


def test_every_mark_and_every_degree_of_certainty_has_words() -> None:
    assert MARK_WORDS.keys() == set(MARKS)
    assert SURE_WORDS.keys() == {"firm", "likely", "thin"}
    assert all(name and meaning.endswith(".") for name, meaning in MARK_WORDS.values())
