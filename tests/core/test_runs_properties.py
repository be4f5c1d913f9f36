"""Oracles for what is typed, timed, asked and said: each rule once more, word by word, against any laps."""

from dataclasses import replace
from statistics import median

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fleet_rival.core.analysis import analyse
from fleet_rival.core.laps.lap import Incident, Lap
from fleet_rival.core.laps.marks import JudgedLap, judge
from fleet_rival.core.laps.overrule import turned
from fleet_rival.core.laps.questions import questions
from fleet_rival.core.laps.weather import Weather, check_weather, wetness_at
from fleet_rival.core.runs.context import RunContext, read_options
from fleet_rival.core.runs.hand_timing import LEAST_PRESSES, BadPresses, Reaction, calibrate, timed_lap
from fleet_rival.core.runs.typed import LETTERS, read_typed
from fleet_rival.core.settings import Settings
from fleet_rival.core.words import MARKS
from tests.making import SECOND, counts, lap, track

LAYOUT = track(corners=3)
CODES = [part.code for part in LAYOUT.segment_parts]
FEW = settings(deadline=None, max_examples=60)

facts = st.fixed_dictionaries(
    {},
    optional={
        "valid": st.booleans(),
        "strikes": st.lists(st.sampled_from(CODES[1:]), max_size=1).map(tuple),
        "incidents": st.lists(
            st.builds(Incident, st.sampled_from(["spin", "contact", "slide"]), st.sampled_from(CODES[1:])), max_size=1
        ).map(tuple),
        "flags": st.frozensets(st.sampled_from(["tow", "traffic", "yellow", "pit", "cool"]), max_size=1),
        "said": st.dictionaries(st.sampled_from(MARKS), st.booleans(), max_size=2),
        "plus_minus_us": st.none() | st.just(190_000),
    },
)
slower = st.sampled_from([0.0, 0.02, 0.1, 0.5, 3.0, 8.0])
one_lap = st.tuples(facts, st.sampled_from(CODES), slower)
runs = st.lists(one_lap, min_size=6, max_size=14)


def driven(items: list[tuple[dict[str, object], str, float]]) -> list[Lap]:
    out = [lap(1, 9.0, 9.0, 9.0, 9.0, kind="out")]
    for number, (changes, where, seconds) in enumerate(items, 2):
        times = [5.0 + number % 3 / 100 + (seconds if code == where else 0.0) for code in CODES]
        out.append(lap(number, *times, **changes))
    return out


def judged(laps: list[Lap], **changes: float) -> list[JudgedLap]:
    return judge(LAYOUT, laps, replace(Settings(), **changes))  # type: ignore[arg-type]


@FEW
@given(runs)
def test_what_somebody_denied_is_on_no_lap_and_what_they_said_on_each(
    items: list[tuple[dict[str, object], str, float]],
) -> None:
    for item in judged(driven(items)):
        said = item.lap.said if item.flying else {}
        assert {mark for mark, stands in said.items() if stands} <= item.marks.keys()
        assert not {mark for mark, stands in said.items() if not stands} & item.marks.keys()
        assert item.overruled <= {mark for mark, stands in said.items() if not stands}
        assert item.clean == (item.flying and not item.marks)


@FEW
@given(runs, st.sets(st.integers(0, 5), min_size=1, max_size=3))
def test_one_key_turns_any_laps_and_the_second_press_leaves_nothing_behind(
    items: list[tuple[dict[str, object], str, float]], places: set[int]
) -> None:
    laps = driven(items)
    first = judged(laps)
    chosen = {laps[at].identity for at in places if laps[at].kind == "flying"}
    said = turned(LAYOUT, laps, {laps[at].identity for at in places}, Settings())
    assert said.keys() == chosen, "an out lap stays as it is"
    laps = [replace(item, said=said.get(item.identity, item.said)) for item in laps]
    second = judged(laps)
    for before, after in zip(first, second, strict=True):
        if after.lap.identity in chosen:
            assert after.clean is not before.clean
    again = turned(LAYOUT, laps, chosen, Settings())
    third = judged([replace(item, said=again.get(item.identity, item.said)) for item in laps])
    for after, last in zip(second, third, strict=True):
        if last.lap.identity in chosen:
            assert last.clean is not after.clean


@FEW
@given(runs, st.booleans())
def test_no_ideal_part_is_of_a_hand_timed_lap_unless_asked(
    items: list[tuple[dict[str, object], str, float]], asked: bool
) -> None:
    laps = driven(items)
    found = analyse(LAYOUT, laps, Settings(hand_timed_ideals=int(asked))).drivers["Ysolde Farrand"]
    for group in (found.main, *found.others):
        for ideal in group.ideals.values.values():
            for part in ideal.parts:
                assert asked or part.lap.plus_minus_us is None
    for item in found.laps:
        if item.lap.plus_minus_us is not None and not asked:
            assert not any(counts(LAYOUT, item, part) for part in LAYOUT.segment_parts)


@FEW
@given(runs)
def test_what_happened_is_asked_word_by_word(items: list[tuple[dict[str, object], str, float]]) -> None:
    laps = judged(driven(items))
    usual = {code: median([item.lap.segments[code] for item in laps if item.clean] or [0]) for code in CODES}
    asked = {question.index: question for question in questions(laps, Settings()) if question.kind == "incident"}
    for index, item in enumerate(laps):
        losses = {code: time - usual[code] for code, time in item.lap.segments.items()}
        worst = max(losses, key=lambda code: losses[code])
        lost = sum(loss for loss in losses.values() if loss > 0)
        spoiled = "spoiled" in item.marks and not {"incident", "spoiled"} & item.lap.said.keys()
        enough = losses[worst] >= 2.5 * SECOND * (item.lap.time_us / SECOND / 60) ** 0.5 and losses[worst] >= 0.7 * lost
        known = any(clean.clean for clean in laps)
        assert (index in asked) == (spoiled and enough and known)
        if index in asked:
            assert asked[index].corner == worst


@FEW
@given(runs)
def test_questions_that_are_answered_are_asked_no_more(items: list[tuple[dict[str, object], str, float]]) -> None:
    laps = driven(items)
    for _ in range(3 * len(laps)):
        found = questions(judged(laps, solo_floor_s=20.03), Settings(solo_floor_s=20.03))
        if not found:
            break
        at = found[0].index
        mark = {"tow": "tow", "damage": "damage", "incident": "incident"}[found[0].kind]
        laps[at] = replace(laps[at], said={**laps[at].said, mark: False})
    assert not questions(judged(laps, solo_floor_s=20.03), Settings(solo_floor_s=20.03))


changes_of_weather = st.lists(
    st.tuples(st.integers(0, 60), st.sampled_from(["dry", "damp", "wet"])), max_size=5, unique_by=lambda item: item[0]
)


@FEW
@given(changes_of_weather, st.floats(0, 4000))
def test_weather_is_the_last_change_before(items: list[tuple[int, str]], seconds: float) -> None:
    ordered = [Weather(minute, wetness) for minute, wetness in sorted(items)]
    kept = [item for place, item in enumerate(ordered) if not place or item.wetness != ordered[place - 1].wetness]
    check_weather(kept)
    before = [item for item in kept if item.minute * 60 <= seconds]
    assert wetness_at(kept, seconds) == (before[-1].wetness if before else None)
    assert wetness_at(kept, seconds) == wetness_at(ordered, seconds), "what changed nothing changes nothing"


@FEW
@given(st.integers(0, 2**31), st.integers(-200, 400), st.integers(5, 80), st.integers(6, 40))
def test_a_hand_is_measured_as_it_is(seed: int, late_ms: int, scatter_ms: int, lines: int) -> None:
    rng = np.random.default_rng(seed)
    truths = [round(at * 4.2 * SECOND) for at in range(1, lines + 1)]
    offs = [round(float(off)) for off in np.clip(rng.normal(late_ms, scatter_ms, lines), -900, 900) * 1000]
    found = calibrate(truths, [truth + off for truth, off in zip(truths, offs, strict=True)])
    assert found.presses == lines
    assert found.offset_us == pytest.approx(float(np.median(offs)), abs=1)
    assert found.spread_us == max(1000, round(float(np.std(offs, ddof=1))))
    shuffled = [truth + off for truth, off in zip(truths, offs, strict=True)]
    rng.shuffle(shuffled)
    assert calibrate(truths, shuffled) == found, "the order in which presses are told doesn't matter"
    with pytest.raises(BadPresses):
        calibrate(truths[: LEAST_PRESSES - 1], shuffled)


@FEW
@given(st.lists(st.integers(1, 60_000_000), min_size=3, max_size=3), st.sets(st.integers(1, 2)), st.integers(0, 10**9))
def test_a_timed_lap_is_the_steps_between_its_presses(steps: list[int], missed: set[int], begin: int) -> None:
    layout = track(corners=3, sectors=3)
    presses: list[int | None] = [begin, begin + steps[0], begin + steps[0] + steps[1], begin + sum(steps)]
    for at in missed:
        presses[at] = None
    found = timed_lap(layout, presses, Reaction(120_000, 30_000, 10))
    assert found.time_us == sum(steps) and found.shift_us == 120_000
    for at, code in enumerate(("S1", "S2", "S3")):
        assert found.sectors.get(code) == (None if {at, at + 1} & missed else steps[at])


@FEW
@given(st.lists(st.sampled_from(sorted(LETTERS)), max_size=4), st.integers(1, 3), st.integers(20_000, 200_000))
def test_letters_in_any_order_say_the_same(letters: list[str], corner: int, ms: int) -> None:
    marks = [f"{letter}{corner}" if LETTERS[letter][0] in ("incident", "strike") else letter for letter in letters]
    one, other = (read_typed(" ".join([str(ms), *some]), LAYOUT) for some in (marks, list(reversed(marks))))
    assert (one.kind, one.valid, one.flags, one.strikes, one.practice_only) == (
        other.kind,
        other.valid,
        other.flags,
        other.strikes,
        other.practice_only,
    )
    assert sorted(one.incidents) == sorted(other.incidents)
    assert one.valid is ("v" not in letters) and one.practice_only is ("e" in letters)


@FEW
@given(
    st.dictionaries(
        st.sampled_from(["T1", "T2", "lap"]), st.from_regex(r"[a-z]{1,8}( [a-z]{1,8})?", fullmatch=True), max_size=3
    )
)
def test_options_are_read_as_they_are_written(options: dict[str, str]) -> None:
    text = ", ".join(f"{where} = {label}" for where, label in options.items())
    found = read_options(text, ["T1", "T2"])
    assert found == tuple((where, label.replace(" ", "-")) for where, label in options.items())
    assert RunContext(options=found).options == found
