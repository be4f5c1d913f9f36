"""People have the last word: marks overruled one by one, weather within a session, questions that only they can
answer.
"""

from collections.abc import Mapping
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.analysis import analyse
from fleet_rival.core.laps.lap import Incident, Lap
from fleet_rival.core.laps.marks import JudgedLap, judge
from fleet_rival.core.laps.overrule import BadMark, said_with, turned
from fleet_rival.core.laps.questions import Question, questions
from fleet_rival.core.laps.weather import BadWeather, Weather, check_weather, wetness_at
from fleet_rival.core.settings import Settings
from fleet_rival.core.words import MARKS
from tests.making import SECOND, lap, track

LAYOUT = track(corners=3)
SETTINGS = Settings(solo_floor_s=17.0)


def laps(*changes: tuple[int, dict[str, object]], count: int = 12) -> list[Lap]:
    out = [lap(1, 9.0, 9.0, 9.0, 9.0, kind="out")] + [
        lap(n, 5.0, 5.0, 5.0, 5.0 + n % 3 / 100) for n in range(2, count + 2)
    ]
    for number, facts in changes:
        out[number - 1] = replace(out[number - 1], **facts)  # type: ignore[arg-type]
    return out


def judged(*changes: tuple[int, dict[str, object]], count: int = 12) -> list[JudgedLap]:
    return judge(LAYOUT, laps(*changes, count=count), SETTINGS)


FACTS: list[tuple[str, dict[str, object]]] = [
    ("invalid", {"valid": False}),
    ("invalid", {"strikes": ("T2",)}),
    ("incident", {"incidents": (Incident("spin", "T1"),)}),
    ("tow", {"flags": frozenset({"tow"})}),
    ("tow", {"time_us": 16 * SECOND}),
    ("traffic", {"flags": frozenset({"traffic"})}),
    ("yellow", {"flags": frozenset({"yellow"})}),
    ("pit", {"flags": frozenset({"pit"})}),
    ("cool", {"flags": frozenset({"cool"})}),
    ("practice_only", {"purpose": "experiment"}),
    (
        "spoiled",
        {"time_us": 26 * SECOND, "segments": {"L0": 5 * SECOND, "T1": 5 * SECOND, "T2": 11 * SECOND, "T3": 5 * SECOND}},
    ),
]


@pytest.mark.parametrize(("mark", "facts"), FACTS)
def test_a_mark_that_somebody_denies_is_gone_and_the_lap_counts(mark: str, facts: dict[str, object]) -> None:
    assert mark in judged((6, facts))[5].marks
    item = judged((6, {**facts, "said": {mark: False}}))[5]
    assert item.marks == {} and item.clean and item.overruled == {mark}
    assert not item.taken.segments, "nothing is taken by what didn't happen"


def test_cold_and_carried_can_be_denied_too() -> None:
    assert "cold" in judged()[1].marks and judged((2, {"said": {"cold": False}}))[1].clean
    spin = {"incidents": (Incident("spin", "T3"),)}
    assert "carried" in judged((6, spin))[6].marks and judged((6, spin))[6].taken.by_others == {"L0", "T1"}
    item = judged((6, spin), (7, {"said": {"carried": False}}))[6]
    assert item.clean and not item.taken.by_others and item.overruled == {"carried"}


@pytest.mark.parametrize("mark", MARKS)
def test_any_mark_can_be_said_and_is_a_fact_then(mark: str) -> None:
    item = judged((6, {"said": {mark: True}}))[5]
    assert item.marks == {mark: False} and not item.clean


@pytest.mark.parametrize(("mark", "facts"), [*FACTS, ("", {})])
def test_turning_a_lap_round_twice_leaves_nothing_behind(mark: str, facts: dict[str, object]) -> None:
    def turn(said: Mapping[str, bool]) -> Mapping[str, bool]:
        own = laps((6, {**facts, "said": said}))
        return turned(LAYOUT, own, {own[5].identity}, SETTINGS)[own[5].identity]

    first = judged((6, facts))[5]
    once = judged((6, {**facts, "said": turn({})}))[5]
    assert once.clean is not first.clean
    twice = judged((6, {**facts, "said": turn(once.lap.said)}))[5]
    assert (twice.clean, twice.lap.said) == (first.clean, {})


@settings(deadline=None, max_examples=60)
@given(st.dictionaries(st.sampled_from(MARKS), st.booleans(), max_size=5), st.sampled_from(FACTS))
def test_what_is_said_decides_whatever_facts_and_rules_say(
    said: dict[str, bool], fact: tuple[str, dict[str, object]]
) -> None:
    marks = judged((6, {**fact[1], "said": said}))[5].marks
    assert {mark for mark, stands in said.items() if stands} <= marks.keys()
    assert not {mark for mark, stands in said.items() if not stands} & marks.keys()


def test_said_with_takes_words_back_and_knows_its_marks() -> None:
    assert said_with({"tow": True, "cold": False}, {"tow": None, "spoiled": True}) == {"cold": False, "spoiled": True}
    with pytest.raises(BadMark):
        said_with({}, {"damage": True})


def test_times_by_hand_are_in_no_ideal_lap_unless_asked() -> None:
    fast = {
        "segments": dict.fromkeys(("L0", "T1", "T2", "T3"), 4 * SECOND),
        "time_us": 18 * SECOND,
        "plus_minus_us": 190_000,
    }
    whole = laps((6, {**fast}))
    for asked, ideal in ((0, 20.0), (1, 16.0)):
        found = analyse(LAYOUT, whole, Settings(hand_timed_ideals=asked)).drivers["Ysolde Farrand"].main
        assert found.ideals.time_us("segment") == round(ideal * SECOND)
        assert found.best is not None and found.best.time_us == 18 * SECOND, "what was seen was seen"


class TestQuestions:
    def asked(self, *changes: tuple[int, dict[str, object]]) -> list[Question]:
        return [question for question in questions(judged(*changes), SETTINGS)]

    def test_nothing_odd_asks_nothing(self) -> None:
        assert self.asked() == []

    def test_a_lap_beyond_the_floor_is_a_tow_or_a_record(self) -> None:
        fast: dict[str, object] = {"time_us": 16 * SECOND}
        assert [item.kind for item in self.asked((6, fast))] == ["tow"]
        for answer in ({"tow": True}, {"tow": False}):
            assert self.asked((6, {**fast, "said": answer})) == []

    def test_a_lap_lost_in_one_corner_asks_what_happened_there(self) -> None:
        lost = {
            "segments": {"L0": 5 * SECOND, "T1": 5 * SECOND, "T2": 11 * SECOND, "T3": 5 * SECOND},
            "time_us": 26 * SECOND,
        }
        assert self.asked((6, lost)) == [Question("incident", 5, "T2", 6 * SECOND)]
        assert self.asked((6, {**lost, "said": {"incident": False}})) == []
        assert self.asked((6, {**lost, "incidents": (Incident("spin", "T2"),)})) == [], "somebody said it"
        assert self.asked((6, {**lost, "mistakes": (("T2", "late-brake"),)})) == []
        spread = {"segments": {code: round(6.5 * SECOND) for code in ("L0", "T1", "T2", "T3")}, "time_us": 26 * SECOND}
        assert self.asked((6, spread)) == [], "slow everywhere: no one place to ask about"

    def test_slower_since_a_contact_asks_for_damage(self) -> None:
        hit = (7, {"incidents": (Incident("contact", "T1"),)})
        slower = [
            (n, {"segments": {}, "sectors": {}, "time_us": round(20.4 * SECOND) + n * 1000}) for n in range(8, 14)
        ]
        found = self.asked(hit, *slower)
        assert [(item.kind, item.index, item.corner, item.laps) for item in found] == [("damage", 6, "T1", 6)]
        assert found[0].loss_us == pytest.approx(0.4 * SECOND, rel=0.05)
        assert self.asked((7, {**hit[1], "said": {"damage": False}}), *slower) == []
        assert self.asked(hit) == [], "as fast as before: no question"


class TestWeather:
    CHANGES = (Weather(0, "dry"), Weather(20, "damp"), Weather(35.5, "wet"))

    @pytest.mark.parametrize(
        ("minute", "wetness"), [(0, "dry"), (19.99, "dry"), (20, "damp"), (35.5, "wet"), (500, "wet")]
    )
    def test_it_is_as_wet_as_the_last_change_says(self, minute: float, wetness: str) -> None:
        assert wetness_at(self.CHANGES, minute * 60) == wetness
        assert wetness_at(self.CHANGES[1:], 60) is None, "nothing was noted yet"

    @pytest.mark.parametrize(
        "changes",
        [
            (Weather(5, "dry"), Weather(5, "wet")),
            (Weather(5, "dry"), Weather(6, "dry")),
            (Weather(-1, "dry"),),
            (Weather(1, "icy"),),
        ],
    )
    def test_what_contradicts_itself_is_refused(self, changes: tuple[Weather, ...]) -> None:
        check_weather(self.CHANGES)
        with pytest.raises(BadWeather):
            check_weather(changes)
