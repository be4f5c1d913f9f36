"""Figures to take along: the same numbers as on the page, whatever they are written as; and what counts along
changes only what it touches.
"""

import csv
import io
import json
import re
from collections.abc import Iterable, Iterator
from datetime import UTC, datetime
from typing import Any
from uuid import UUID

import orjson
import pytest
from sqlalchemy import select

from fleet_rival.api import schemas
from fleet_rival.core.times import format_time
from fleet_rival.db.tables import Driver
from fleet_rival.services.find import figures as find
from fleet_rival.services.find import pace, sharing, steadiness, two_ways
from fleet_rival.services.find.printing import MOST_PAGES, driver_pdf, pages_of
from fleet_rival.services.find.sharing import driver_report_of, driver_text, figures_csv, figures_json, versus_csv
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.wording.driver_report import MOST_LINES
from tests.services.conftest import Season

EVENING = datetime(2031, 4, 8, 18, tzinfo=UTC)
LAPS = [90, 67, 66.0, 65.5, 65.8, 65.6, 65.9, 65.7, 66.0, 65.9]


@pytest.fixture
def place(season: Season) -> UUID:
    season.week(1)
    season.drive("Ysolde Farrand", EVENING, LAPS, tyre_set="A", setup="=base()")
    season.drive("Ysolde Farrand", EVENING.replace(day=9), [90, 67, 65.4, 65.5, 65.6, 65.4, 65.5])
    season.drive("Ysolde Farrand", EVENING.replace(day=10), [90, 67, 64.0], flags="tow")
    season.drive("Corin Ashgrove", EVENING, [91, 68, 66.2, 66.1, 66.3, 66.0, 66.4, 66.2])
    return season.combination()


def rows(content: bytes) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(content.decode())))


def test_tables_hold_what_the_pages_show_exactly(season: Season, place: UUID) -> None:
    who = season.drivers["Ysolde Farrand"]
    ask = (season.sessions, season.actor, place)
    summary = orjson.loads(find.summary(*ask)[0])
    by_name = {row["driver"]: row for row in rows(figures_csv(*ask, "drivers", None))}
    for driver in summary["drivers"]:
        row = by_name[driver["name"]]
        assert (
            row["best_s"] == f"{driver['figures']['best_us'] / 1e6:.6f}"
            and int(row["laps.clean"]) == driver["figures"]["laps"]["clean"]
        )
        assert float(row["consistency.clean_rate"]) == driver["figures"]["consistency"]["clean_rate"]
    laps = rows(figures_csv(*ask, "laps", who))
    assert len(laps) == 17 and {row["clean"] for row in laps} == {"True", "False"}
    # A text that a spreadsheet would run is told to be a text.
    assert {row["setup"] for row in laps} == {"'=base()", ""} and [row["marks"] for row in laps].count("tow") == 1
    told = orjson.loads(pace.driver_pace(*ask, who)[0])
    figures = {(row["table"], row["row"], row["figure"]): row["value"] for row in rows(figures_csv(*ask, "pace", who))}
    assert float(figures.get(("falloff", "", "us_per_lap"), 0)) == (told["falloff"] or {}).get("us_per_lap", 0)
    assert figures["best_of", "3", "p50_s"] == f"{told['figures']['best_of'][2]['p50_us'] / 1e6:.6f}"
    assert len([key for key in figures if key[0] == "laps" and key[2] == "time_s"]) == 17
    assert json.loads(figures_json(*ask, "pace", who)) == told
    ways = two_ways.two_ways(
        *ask, who, (f"run:{told['runs'][0]['session']}:1", f"run:{told['runs'][1]['session']}:1"), 20, 0, 0
    )
    [first, *_] = rows(versus_csv(ways))
    assert first["lap"] == str(ways["steps"][0]["lap"]) and float(first["behind_s"]) == pytest.approx(
        ways["steps"][0]["behind_us"] / 1e6
    )
    with pytest.raises(Refused, match="whose figures"):
        figures_csv(*ask, "laps", None)


def test_a_report_is_two_pages_and_a_text_of_fifteen_lines_with_the_same_numbers(season: Season, place: UUID) -> None:
    who = season.drivers["Ysolde Farrand"]
    ask = (season.sessions, season.actor, place, who)
    text = driver_text(*ask)
    report = driver_report_of(*ask)
    figures = report.figures["figures"]
    assert len(text.strip().splitlines()) <= MOST_LINES
    for value in (figures["best_us"], figures["consistency"]["median_us"]):
        assert format_time(value) in text
    assert f"{figures['laps']['clean']} of {figures['laps']['eligible']} laps" in text and "Counted along" not in text
    assert driver_pdf(*ask).startswith(b"%PDF-")
    assert len(pages_of(report, EVENING.date()).pages) <= MOST_PAGES
    assert "Counted along here: tow laps, cold laps." in driver_text(*ask, None, ["tow", "cold"])


def test_a_long_track_with_many_runs_still_needs_two_pages(season: Season, place: UUID) -> None:
    report = driver_report_of(season.sessions, season.actor, place, season.drivers["Ysolde Farrand"])
    [one, *_] = report.figures["segments"].values()
    run = report.pace["runs"][0]
    long = type(report)(
        *(report.driver, report.place, report.car, {}),
        {**report.figures, "segments": {f"T{number}": one for number in range(1, 41)}},
        {**report.pace, "runs": [run] * 60, "falloff_words": report.pace["falloff_words"] * 4},
    )
    assert len(pages_of(long, EVENING.date()).pages) <= MOST_PAGES


def words_on(pages: Iterable[Any]) -> str:
    """All text of laid-out pages, margins too, in no certain order."""

    def texts(box: Any) -> Iterator[str]:
        if isinstance(text := getattr(box, "text", None), str):
            yield text
        for child in getattr(box, "children", ()):
            yield from texts(child)

    return " ".join(text for page in pages for text in texts(page._page_box))


def test_names_are_written_as_they_are_and_what_does_not_fit_is_told(season: Season, place: UUID) -> None:
    report = driver_report_of(season.sessions, season.actor, place, season.drivers["Ysolde Farrand"])
    [one, *_] = report.figures["segments"].values()
    segments = {f"T{number}": {**one, "mean_loss_us": number} for number in range(1, 91)}
    odd = type(report)(
        'Odd "O\'Vale" <b>', report.place, report.car, {}, {**report.figures, "segments": segments}, report.pace
    )
    laid = pages_of(odd, EVENING.date())
    words = words_on(laid.pages)
    [unlisted] = re.findall(r"(\d+) segments with the least loss", words)
    assert len(laid.pages) <= MOST_PAGES and 30 <= int(unlisted) < 90
    assert f"T{int(unlisted) + 1} " in words and f"T{unlisted} " not in words
    assert words.count('Odd "O\'Vale" <b>') >= 3, "as the heading, and at the foot of both pages"


def test_weeks_with_very_many_laps_are_told_and_made_in_the_background(
    season: Season, place: UUID, monkeypatch: pytest.MonkeyPatch
) -> None:
    who = season.drivers["Ysolde Farrand"]
    ask = (season.sessions, season.actor, who)
    monkeypatch.setattr(steadiness, "LARGE_FROM_LAPS", 5)
    assert (steadiness.steadiness(*ask).behind, steadiness.steadiness(*ask).items) == (1, [])
    steadiness.catch_up(*ask)
    made = steadiness.steadiness(*ask)
    assert made.behind == 0 and [item.out_of_date for item in made.items] == [False]
    season.drive("Ysolde Farrand", EVENING.replace(hour=20), LAPS)
    told = steadiness.steadiness(*ask)
    assert told.behind == 1 and [item.out_of_date for item in told.items] == [True], (
        "old figures are shown, and said to be old"
    )


def test_what_counts_along_is_counted_and_its_mark_stays(season: Season, place: UUID) -> None:
    who = season.drivers["Ysolde Farrand"]
    ask = (season.sessions, season.actor, place, who)

    def page(*also: str) -> dict[str, object]:
        body = pace.driver_pace(*ask, None, also)[0]
        schemas.DriverPace.model_validate_json(body)
        found: dict[str, object] = orjson.loads(body)
        return found

    plain, towed, cold = page(), page("tow"), page("tow", "cold")
    assert plain["countable"] == {"tow": 2, "cold": 3, "practice_only": 0, "hand_timed": 0} == towed["countable"]
    counts = [found["figures"]["laps"] for found in (plain, towed, cold)]  # type: ignore[index]
    assert [item["clean"] for item in counts] == [13, 14, 17] and {item["tow"] for item in counts} == {2}
    assert plain["figures"]["best_us"] == 65_400_000 and towed["figures"]["best_us"] == 64_000_000  # type: ignore[index]
    assert page() == plain, "a look changes nothing that is kept"


def test_weeks_are_compared_by_the_root_of_the_time_and_a_driver_sees_the_own(season: Season, place: UUID) -> None:
    who = season.drivers["Ysolde Farrand"]
    [week] = steadiness.steadiness(season.sessions, season.actor, who).items
    schemas.WeekSpreadOut.model_validate(week)
    figures = orjson.loads(pace.driver_pace(season.sessions, season.actor, place, who)[0])
    assert (week.number, week.clean) == (1, 13)
    assert week.spread_s_per_sqrt_min == pytest.approx(
        figures["figures"]["consistency"]["spread_s_per_sqrt_min"], rel=1e-6
    )
    assert week.team_ratio == pytest.approx(figures["team_ratio"], rel=1e-6)
    with season.sessions() as session:
        key = session.scalars(select(Driver.id).where(Driver.name == "Corin Ashgrove")).one()
    other = add_person(season.sessions, season.actor, "Corin at home", "driver", key)
    with pytest.raises(NotThere):
        steadiness.steadiness(season.sessions, other, who)
    with pytest.raises(NotThere):
        sharing.driver_text(season.sessions, other, place, who)
