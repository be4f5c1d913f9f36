"""Line-up, outlook and the time at the wheel in words."""

import pytest

from fleet_rival.core.pace.stop import Stop
from fleet_rival.wording.lineup import choice_words, form_words, not_words, rule_words
from fleet_rival.wording.outlook import begin_words, known_words
from fleet_rival.wording.seat import better_words, limit_words, stop_words


@pytest.mark.parametrize(
    ("counts", "margin", "instead", "words"),
    [
        (True, 12.34, "Corin Ashgrove", "The team would have 12.3 points less with Corin Ashgrove instead."),
        (True, 12.34, None, "The team would have 12.3 points less without it."),
        (True, 0.01, "Corin Ashgrove", "Another choice would be as good."),
        (False, 0.0, None, "Would not count: better weeks stand already. Another choice would be as good."),
    ],
)
def test_why_somebody_drives(counts: bool, margin: float, instead: str | None, words: str) -> None:
    assert choice_words(counts, margin, instead) == words


def test_every_reason_against_is_a_sentence() -> None:
    told = {reason: not_words(reason) for reason in ("time", "car", "full", "others")}
    assert len(set(told.values())) == 4 and all(words.endswith(".") for words in told.values())


@pytest.mark.parametrize(
    ("facts", "words"),
    [
        ((0.456, "here", 0.0, 0.0, None, None), "0.46 % over the target, over qualifying and race."),
        (
            (-0.2, "here", 12_000.0, 60_000.0, 0.91, 1),
            "0.20 % below the target, over qualifying and race; falloff 0.012 s a lap; 0.06 s a lap in recurring "
            "mistakes; "
            "91 % of laps clean; one start fits.",
        ),
        (
            (0.8, "elsewhere", 0.0, 0.0, None, 4),
            "no lap here: 0.80 % over the target, as elsewhere and a little more; 4 starts fit.",
        ),
        ((1.5, "nothing", 0.0, 0.0, None, 0), "no lap anywhere: taken to be far from the target; 0 starts fit."),
    ],
)
def test_on_what_points_stand(facts: tuple[float, str, float, float, float | None, int | None], words: str) -> None:
    assert form_words(*facts) == words


def test_points_by_gap() -> None:
    assert rule_words(50.0, -20.0, 0) == (
        "50 points at the target, 20 fewer for each per cent above it (an opinion, as long as no points are entered)."
    )
    assert (
        rule_words(44.6, -7.2, 28)
        == "45 points at the target, 7 fewer for each per cent above it (learned from 28 starts)."
    )


@pytest.mark.parametrize(
    ("place", "begin", "short", "needed", "words"),
    [
        (2, 2, 0.0, 0.0, ""),
        (2, 2, 0.0, 3.0, "fits"),
        (2, 0, 0.0, 3.0, "begin now"),
        (3, 2, 0.0, 3.0, "begin the week before"),
        (4, 1, 0.0, 3.0, "begin 3 weeks before"),
        (2, 0, 1.25, 3.0, "begin now; 1.2 h are missing even so"),
        (0, 0, 2.0, 3.0, "2.0 h are missing even so"),
    ],
)
def test_when_to_begin(place: int, begin: int, short: float, needed: float, words: str) -> None:
    assert begin_words(place, begin, short, needed) == words


READY = {"entered": True, "has_layout": True, "has_target": True, "unread": 0, "own": False}


@pytest.mark.parametrize(
    ("counts", "more", "missing", "known"),
    [
        ((6, 6, 6), {}, [], ["all know the track"]),
        ((6, 6, 4), {}, [], ["all know the track", "4 of 6 know this car on it"]),
        ((6, 4, 0), {}, ["2 of 6 don’t know the track", "nobody knows this car on it"], []),
        ((6, 0, 0), {}, ["nobody knows the track"], []),
        ((0, 0, 0), {"entered": False}, ["nobody is entered yet"], []),
        ((6, 6, 6), {"has_layout": False, "has_target": False}, ["the track isn’t in the book yet"], []),
        (
            (6, 6, 6),
            {"has_target": False, "unread": 2},
            ["no target yet", "2 corners without a braking reference"],
            ["all know the track"],
        ),
        ((6, 6, 6), {"unread": 1}, ["one corner without a braking reference"], ["all know the track"]),
        ((1, 1, 1), {"own": True}, [], ["you know car and track"]),
        ((1, 1, 0), {"own": True}, [], ["you know the track"]),
        ((1, 0, 0), {"own": True}, ["you don’t know the track yet"], []),
    ],
)
def test_what_is_known_and_what_must_be_learned(
    counts: tuple[int, int, int], more: dict[str, object], missing: list[str], known: list[str]
) -> None:
    assert known_words(*counts, **{**READY, **more}) == (missing, known)  # type: ignore[arg-type]


def test_the_limit_is_said_in_a_friendly_way() -> None:
    assert (
        limit_words(63.4, 50.0, 10.0)
        == "63 minutes at the wheel; the limit is 50. Finish the lap, get up, and take 10 minutes."
    )


@pytest.mark.parametrize(
    ("stop", "words"),
    [
        (
            Stop("tired", 30, 25, 0.0084, 2, 6),
            "The last laps look like tiredness: 0.8 % slower than before and 2 slips in 6 laps.",
        ),
        (Stop("tired", 30, 25, None, 1, 6), "The last laps look like tiredness: a slip in 6 laps."),
        (Stop("tired", 30, 25, 0.0084, 0, 6), "The last laps look like tiredness: 0.8 % slower than before."),
        (Stop("tired", 30, 25, -0.001, 0, 6), "The last laps look like tiredness: slower than before."),
        (
            Stop("nothing_more", 30, 18, 0.0003, 0, 13),
            "The last 13 laps brought 0.03 %: more of the same brings next to nothing now.",
        ),
        (
            Stop("nothing_more", 30, 18, -0.001, 0, 13),
            "The last 13 laps brought 0.00 %: more of the same brings next to nothing now.",
        ),
    ],
)
def test_what_laps_tell(stop: Stop, words: str) -> None:
    assert stop_words(stop) == words


def test_the_better_use_of_the_time() -> None:
    assert better_words("long run", tired=False) == "Better now: long run."
    assert better_words(None, tired=False).startswith("Better now: look at where the time is lost")
    assert "a break" in better_words(None, tired=True) and "Then: long run." in better_words("long run", tired=True)
    assert better_words("long run", tired=True).endswith("A run that is broken off is no failure.")
