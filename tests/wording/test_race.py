"""The race sheet in words: what stands on it, in which order, what goes to the seat, and what is left unsaid."""

from dataclasses import replace
from datetime import date
from typing import Any

import pytest

from fleet_rival.core.book.corner import Lane, Limit, Passing
from fleet_rival.core.season.weeks import SeriesWeek
from fleet_rival.core.units import DEFAULTS, in_units
from fleet_rival.wording.pace import eaters_words
from fleet_rival.wording.race import PARTS, Line, opening_words, plan_words, sheet_lines

WEEK = SeriesWeek("Harbour Spark Cup", 3, "UTC", date(2031, 4, 7), date(2031, 4, 14), start="standing", grid=24)
WISH: dict[str, Any] = {"pit_s": 25.0, "risk": 0.05, "remember": "", "early": ""}
NOTHING: dict[str, Any] = {
    "wish": WISH,
    "qualifying": None,
    "target_us": None,
    "distance": None,
    "consumption": None,
    "own_race": None,
    "stops": None,
    "opening": None,
    "crossing": None,
    "limits": None,
    "options": [],
    "eaters": None,
}
QUALIFYING = {
    "laps": 3,
    "cold_laps": 2,
    "safe_us": 66.2e6,
    "likely_us": 66.0e6,
    "odds": 0.63,
    "odds_first": 0.12,
    "tow_us": None,
    "odds_tow": None,
}
FUEL = {
    "unit": "l",
    "start": 41.26,
    "per_lap": 1.8,
    "margin": 1.44,
    "tank": 40.0,
    "saving_needed": None,
    "filled_at_stops": 0,
}
PLANS = {
    "plans": [
        {
            "stints": [{"compound": "hard", "laps": 12}, {"compound": "soft", "laps": 11}],
            "wins": 0.81,
            "behind_us": 0.0,
        },
        {"stints": [{"compound": "hard", "laps": 23}], "wins": 0.19, "behind_us": 2_400_000.0},
    ],
    "pit_flips_s": [{"stops": 0, "seconds": 27.4}, {"stops": 2, "seconds": 1.1}],
    "why_none": "",
    "cautions": [],
}
T6 = {
    "code": "T6",
    "name": "Lantern Steps",
    "passing": (Passing("right", "high", "no room", "when somebody dives"),),
    "lanes": (),
    "limits": (),
}
LANES = (Lane("end", "outside", "second groove", "it has rubber"), Lane("start", "inside"))
T9 = {
    "code": "T9",
    "name": None,
    "passing": (Passing("either", "medium"),),
    "lanes": LANES,
    "limits": (Limit("exit", "two wheels", "strike"),),
}


def lines(
    facts: SeriesWeek = WEEK,
    corners: tuple[Any, ...] = (),
    first: str | None = None,
    learned: tuple[str, ...] = (),
    **figures: Any,
) -> list[Line]:
    return list(sheet_lines({**NOTHING, **figures}, facts, corners, first, 2, learned))


def words(told: list[Line], part: str) -> list[str]:
    return [in_units(line.words, DEFAULTS) for line in told if line.part == part]


def test_who_has_to_spare_the_tyres_is_told_where() -> None:
    eaten = eaters_words([("T7", 0.39), ("T2", 0.2)])
    [line] = [line for line in sheet_lines({**NOTHING, "eaters": eaten}, WEEK, (), None, 2) if line.part == "tyres"]
    assert line.words == "The tyres fall off most at T7 (39 % of it), T2 (20 % of it): that is where to spare them."
    assert line.seat and eaters_words([]) is None


def test_nothing_known_says_what_the_week_says_and_no_more() -> None:
    assert [line.words for line in lines()] == ["Standing start, grid of 24."]
    assert lines(replace(WEEK, start=None, grid=None)) == []
    assert words(lines(replace(WEEK, start="rolling", grid=None, cautions=True)), "start") == [
        "Rolling start, cautions."
    ]


def test_everything_stands_in_the_order_of_the_day() -> None:
    told = lines(
        corners=(T6, T9),
        first="The apex of T8 is missed on one lap in four.",
        learned=("Lift before the crest",),
        wish={**WISH, "early": "Two attack early and fade."},
        qualifying=QUALIFYING,
        target_us=66_054_000,
        distance={"laps": 23, "close": True, "timed": True},
        consumption=FUEL,
        own_race={"median_us": 1_523_494_000.0, "slips": 5.2, "one_less_us": 280_000.0},
        stops=PLANS,
        limits={"limit": 8, "chance": 0.031, "corners": [{"corner": "T9", "expected": 1.2, "halved": 0.008}]},
    )
    order = list(dict.fromkeys(line.part for line in told))
    assert order == [part for part in PARTS if part in order] and set(order) == set(PARTS)
    assert words(told, "qualifying") == [
        "3 laps: out lap, then the safe one (1:06.200), then risk.",
        "The best of them is likely 1:06.000.",
        "The target 1:06.054 comes in 63 % of such sessions, 12 % with the first one alone.",
    ]
    assert words(told, "distance") == [
        "23 laps; one more or less is close.",
        "Start with 41.3 l: 1.80 l a lap, 1.4 l of it so that it runs out in 5 of 100 races.",
        "Your race takes about 25:23.494, with 5.2 slips; one less is worth 0.28 s.",
    ]
    assert words(told, "tyres") == [
        "12 laps hard – 11 laps soft; fastest in 81 of 100 draws.",
        "Else 23 laps hard: 2.40 s slower.",
        "With no stop it would be as fast if a stop cost 27.4 s.",
    ]
    assert words(told, "pits") == [
        "A stop costs 25.0 s over driving on. Limiter before the line; the lane’s limit holds to its end."
    ]
    assert words(told, "lanes") == ["T9: First laps inside; last laps outside, second groove (it has rubber)."]
    assert words(told, "passing") == [
        "T6 Lantern Steps: pass on the right, much risk; goes wrong: no room.",
        "T6 Lantern Steps: yield when somebody dives.",
        "T9: pass on either side, some risk.",
    ]
    assert words(told, "limits") == [
        "8 strikes are the limit: reached in 3 % of such races. Half as many at T9: 1 %.",
        "T9, exit: two wheels.",
    ]
    assert words(told, "others") == ["Two attack early and fade."] and words(told, "learned") == [
        "Lift before the crest."
    ]


def test_the_seat_gets_what_matters_while_driving() -> None:
    told = lines(
        first="A mistake.",
        qualifying=QUALIFYING,
        distance={"laps": 23, "close": False, "timed": True},
        consumption=FUEL,
        stops=PLANS,
    )
    seat = [line.part for line in told if line.seat]
    # How many laps there are stands in the plan of stints already.
    assert seat == ["remember", "qualifying", "start", "distance", "tyres"] and "Start with" in next(
        x.words for x in told if x.part == "distance" and x.seat
    )
    alone = lines(distance={"laps": 23, "close": False, "timed": True})
    assert [line.words for line in alone if line.seat] == ["23 laps."]


def test_what_somebody_wants_remembered_stands_before_what_was_found() -> None:
    told = lines(first="A mistake.", wish={**WISH, "remember": "Hands quiet."})
    assert words(told, "remember") == ["Hands quiet."]
    assert words(lines(first="A mistake."), "remember") == ["A mistake."]


@pytest.mark.parametrize(
    ("consumption", "wanted"),
    [
        ({**FUEL, "margin": 0.0}, ["Start with 41.3 l: 1.80 l a lap, laps hardly differ in it."]),
        ({**FUEL, "saving_needed": 0.27}, ["The tank holds 40 l: save 27 % a lap, or stop."]),
        ({**FUEL, "unit": "kWh", "saving_needed": 0.27}, ["The battery holds 40 kWh: save 27 % a lap."]),
    ],
)
def test_margin_and_tank(consumption: dict[str, Any], wanted: list[str]) -> None:
    assert words(lines(consumption=consumption), "distance")[-1:] == wanted


def test_one_lap_of_qualifying_has_no_second_chance() -> None:
    told = words(
        lines(qualifying={**QUALIFYING, "laps": 1, "cold_laps": 1, "likely_us": None}, target_us=66_054_000),
        "qualifying",
    )
    assert told == [
        "1 lap: out lap, then the safe one (1:06.200), then risk.",
        "The target 1:06.054 comes in 63 % of such sessions.",
    ]
    assert (
        words(lines(qualifying={**QUALIFYING, "cold_laps": 1}), "start")[1]
        == "Tyres are cold for 1 lap: cold references."
    )


def test_no_plan_says_why_and_changing_weather_says_when() -> None:
    assert words(
        lines(stops={**PLANS, "plans": [], "why_none": "more compounds must be driven than there are stints"}), "tyres"
    ) == ["No plan is possible: more compounds must be driven than there are stints."]
    crossing = {"laps_left": 11, "drying": {"even_us": 67.5e6, "change_us": 67.1e6}, "getting_wet": None}
    assert (
        words(lines(stops=PLANS, crossing=crossing), "tyres")[-1]
        == "Drying: dry tyres from a lap of 1:07.100 on, 11 laps from the end."
    )


def test_only_so_many_corners_are_told() -> None:
    three = tuple({**T6, "code": f"T{number}"} for number in (1, 2, 3))
    assert len({line.split(" ")[0] for line in words(lines(corners=three), "passing")}) == 2


def test_a_plan_in_words() -> None:
    assert plan_words([{"compound": "hard", "laps": 23}]) == "23 laps hard"


def test_cautions_a_tow_and_options_that_were_tried_stand_where_they_matter() -> None:
    cautions = [
        {"first": 9, "last": 13, "best_us": 12_400_000.0, "at": 11},
        {"first": 20, "last": 20, "best_us": 1_000_000.0, "at": 20},
    ]
    options = [
        {"where": "lap", "race": "save is the better one", "qualifying": None},
        {"where": "T3", "race": None, "qualifying": "late is the better one, firm."},
    ]
    qualifying = {**QUALIFYING, "tow_us": 250_000.0, "odds_tow": 0.81}
    told = lines(qualifying=qualifying, target_us=66_054_000, stops={**PLANS, "cautions": cautions}, options=options)
    assert words(told, "tyres")[-3:] == [
        "A caution behind laps 9 to 13: stop then, up to 12.40 s won.",
        "A caution behind lap 20: stop then, up to 1.00 s won.",
        "All lap: save is the better one.",
    ]
    assert words(told, "qualifying")[-2:] == [
        "A tow is worth 0.25 s; with one the target comes in 81 %.",
        "After the safe lap, T3: late is the better one, firm.",
    ]


def test_who_stops_fills_the_tank_and_saves_nothing() -> None:
    short = {**FUEL, "tank": 30.0, "saving_needed": 0.27}
    filled = {**short, "filled_at_stops": 1}
    assert "save 27 % a lap, or stop" in " ".join(words(lines(consumption=short), "distance"))
    told = words(lines(consumption=filled, stops=PLANS), "distance")
    assert told == ["Start with a full tank, 30 l, filled at the stop: 41.3 l in all, 1.80 l a lap."]
    assert any(
        "save 27 %" in line for line in words(lines(consumption={**short, "unit": "kWh"}, stops=PLANS), "distance")
    ), "a battery isn't filled"


def test_the_pit_lane_stands_there_as_the_book_has_it() -> None:
    lane = {"limit_kmh": 60.0, "entry_note": "hug the wall", "exit_note": "Blend line is judged."}
    told = sheet_lines({**NOTHING, "stops": PLANS}, WEEK, (), None, 2, (), lane)
    assert words(list(told), "pits")[1:] == ["60 km/h in the lane.", "In: hug the wall.", "Out: Blend line is judged."]
    assert words(list(sheet_lines(NOTHING, WEEK, (), None, 2, (), {"limit_kmh": None, "exit_note": ""})), "pits") == []


def test_equal_stints_are_counted() -> None:
    stint = {"compound": "hard", "laps": 8}
    assert (
        plan_words([stint, stint, {"compound": "hard", "laps": 7}, stint])
        == "2 × 8 laps hard – 7 laps hard – 8 laps hard"
    )


FEW = "only 4 long runs have another one in their session"
OPENING: dict[str, Any] = {
    "laps": 23,
    "first": 3,
    "even": 0.15,
    "cost": None,
    "runs": 4,
    "verdict": None,
    "reason": FEW,
    "tried": False,
}


def test_push_or_save_stands_on_the_sheet_where_practice_decides() -> None:
    assert opening_words(OPENING) == (
        "Push or save at the start: 0.1 s won on each of the first 3 laps may cost 0.015 s on each of the 20 later "
        "ones before it is lost again. "
        "Practice doesn’t tell what it costs: only 4 long runs have another one in their session."
    )
    measured = {**OPENING, "cost": 0.42, "runs": 9, "verdict": "save", "reason": ""}
    saved = opening_words(measured)
    assert saved == (
        "Save at the start: 0.1 s won on each of the first 3 laps cost 0.042 s on each later one (9 runs); up to "
        "0.015 s pays."
    )
    assert words(lines(opening={**OPENING, "words": "open"}), "start") == ["Standing start, grid of 24."]
    assert words(lines(opening={**measured, "words": saved}), "start")[-1] == saved
    tried = [{"where": "lap", "race": "save: 0.20 s a lap faster.", "qualifying": None}]
    told = lines(opening={**measured, "words": saved, "tried": True}, options=tried)
    assert saved not in words(told, "start"), "who tried it on purpose knows better"
    assert opening_words(
        {**measured, "cost": -0.1, "verdict": None, "reason": "9 long runs don't tell it firmly enough"}
    ) == (
        "Push or save at the start is open: 0.1 s won on each of the first 3 laps cost 0.000 s on each later one (9 "
        "runs); up to 0.015 s pays, "
        "but 9 long runs don't tell it firmly enough."
    )
