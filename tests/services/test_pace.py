"""One driver's page: the report's figures in the same words everywhere, for whom they are, and anew after each
change.
"""

import json
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import UUID, uuid4

import numpy as np
import orjson
import pytest
from sqlalchemy import select

from fleet_rival.api import schemas
from fleet_rival.core.pace.par import session_pars
from fleet_rival.core.season.targets import Target
from fleet_rival.db.tables import Combination, Driver, Lap, PracticeSession
from fleet_rival.services.drive import files, importing
from fleet_rival.services.drive.runs import edit
from fleet_rival.services.drive.runs.places import RunKey
from fleet_rival.services.find import analyses, beside, figures, pace, two_ways
from fleet_rival.services.find.analyses import analysed
from fleet_rival.services.fix import accounts
from fleet_rival.services.people.team import add_person
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.services.track import tracks
from fleet_rival.services.week import combinations
from tests.conftest import DATA
from tests.services.conftest import Season

EVENING = datetime(2031, 4, 8, 18, tzinfo=UTC)
LAPS = [90, 70, 66.0, 65.5, 65.8, 65.6, 65.9, 65.7, 66.0, 65.9]


@pytest.fixture
def place(season: Season) -> UUID:
    season.week(1)
    season.drive("Ysolde Farrand", EVENING, LAPS, tyre_set="A", setup="base")
    return season.combination()


def page(season: Season, place: UUID, driver: str = "Ysolde Farrand", actor: Any = None) -> dict[str, Any]:
    body, _ = pace.driver_pace(season.sessions, actor or season.actor, place, season.drivers[driver])
    schemas.DriverPace.model_validate_json(body)
    found: dict[str, Any] = orjson.loads(body)
    return found


def test_the_page_says_what_the_report_says_and_where_each_lap_stands(season: Season, place: UUID) -> None:
    found = page(season, place)
    assert found["figures"]["consistency"]["n"] == 8 and found["surer"] == "Thin: 8 clean laps; 4 more make it likely."
    [run] = found["runs"]
    assert (run["clean"], run["flying"], run["setup"], run["tyre_set"]) == (8, 9, "base", "A")
    assert [lap["time_us"] for lap in run["laps"] if lap["clean"]] == [round(seconds * 1e6) for seconds in LAPS[2:]]
    assert [lap["of_run"] for lap in run["laps"]] == list(range(1, 10)) and "cold" in run["laps"][0]["marks"]
    assert run["adjusted_us"] == found["figures"]["consistency"]["adjusted_sd_us"], "one run alone is all of it"
    assert found["falloff"]["laps_used"] == 8 and len(found["falloff_words"]) >= 2
    assert found["options"] == [] and found["odds"] is None and "4 are needed" in found["learning"]["words"]


def test_a_drivers_laps_are_told_alike_with_or_without_everybody_elses(
    season: Season, place: UUID, monkeypatch: pytest.MonkeyPatch
) -> None:
    season.drive("Corin Ashgrove", EVENING + timedelta(hours=1), [90, 71, 64.0, 64.5, 64.8, 64.6, 64.9])
    looked: list[set[str]] = []

    def watched(layout: Any, laps: Sequence[Any], settings: Any) -> Any:
        looked.append({lap.driver for lap in laps})
        return analysed(layout, laps, settings)

    monkeypatch.setattr(analyses, "analysed", watched)

    def told() -> bytes:
        return figures.driver_laps(season.sessions, season.actor, place, season.drivers["Ysolde Farrand"])[0]

    alone = told()
    assert looked == [{"Ysolde Farrand"}], "nobody else's laps are looked through for it"
    with season.sessions.begin() as session:
        # As after a change that touches no lap: every answer is made anew.
        session.scalars(select(Combination)).one().revision += 1
    figures.summary(season.sessions, season.actor, place)
    assert looked[1:] == [{"Ysolde Farrand", "Corin Ashgrove"}]
    assert told() == alone and len(looked) == 2, "what is known of all isn't looked through again"
    with pytest.raises(NotThere, match="no laps"):
        figures.driver_laps(season.sessions, season.actor, place, uuid4())


def test_par_is_made_once_for_all_who_drove(season: Season, place: UUID, monkeypatch: pytest.MonkeyPatch) -> None:
    season.drive("Corin Ashgrove", EVENING, [90, 71, 64.0, 64.5, 64.8, 64.6, 64.9, 64.7])
    made: list[int] = []

    def watched(drivers: Any, moves_pct: float) -> Any:
        made.append(len(drivers))
        return session_pars(drivers, moves_pct)

    monkeypatch.setattr(analyses, "session_pars", watched)
    for driver in ("Ysolde Farrand", "Corin Ashgrove"):
        page(season, place, driver)
    assert made == [2]
    season.drive("Corin Ashgrove", EVENING + timedelta(hours=2), [90, 71, 64.0])
    page(season, place)
    assert made == [2, 2], "with one more lap it is another one"


def test_a_lap_stands_as_far_from_pars_curve_as_it_was_from_par(season: Season) -> None:
    season.week(1)
    for name, level in (("Ysolde Farrand", 66.0), ("Corin Ashgrove", 67.0)):
        season.drive(name, EVENING, [90, 70, *(level * (1.05 - 0.004 * at) for at in range(14))], setup="base")
    [par] = page(season, season.combination())["pars"]
    minutes, curve = zip(*((point["minute"], point["par_us"]) for point in par["curve"]), strict=True)
    for lap in par["laps"]:
        assert lap["levelled_us"] == pytest.approx(lap["time_us"], abs=1), "with one setup each lap stands where it was"
        assert lap["levelled_us"] - np.interp(lap["minute"], minutes, curve) == pytest.approx(lap["behind_us"], abs=2)


def test_a_mark_or_a_target_changes_what_hangs_on_it(season: Season, place: UUID) -> None:
    before = page(season, place)
    with season.sessions() as session:
        practice, driver = (
            session.scalars(select(PracticeSession)).one(),
            session.scalars(select(Driver).where(Driver.name == "Ysolde Farrand")).one(),
        )
        version = session.scalars(select(Lap.version).where(Lap.number == 4)).one()
    edit.say_of_marks(
        season.sessions, season.actor, RunKey(practice.public_id, driver.public_id, 1), {4: version}, {"tow": True}
    )
    after = page(season, place)
    assert after["figures"]["consistency"]["n"] == before["figures"]["consistency"]["n"] - 1
    assert [lap["lap"] for lap in after["runs"][0]["laps"] if not lap["clean"]] == [2, 4]
    seen = combinations.combination(season.sessions, season.actor, place)
    combinations.set_target(
        season.sessions, season.actor, place, seen.version, Target("time", time_us=65_600_000), None, (None, None)
    )
    odds = page(season, place)["odds"]
    assert [item["laps"] for item in odds] == [1, 2, 3, 5, 10] and 0 < odds[0]["share"] < odds[-1]["share"] < 1


def test_options_and_ways_stand_side_by_side(season: Season, place: UUID) -> None:
    for number, (kind, level, cost) in enumerate([("push", 65.0, 0.30), ("save", 65.5, 0.01)]):
        times = [90, 70, *(level + cost * at for at in range(10))]
        season.drive("Ysolde Farrand", EVENING.replace(day=9 + number), times, options=f"lap={kind}")
    found = page(season, place)
    [option] = found["options"]
    assert (option["where"], option["switches"]) == ("lap", 1) and "can't be told apart" in option["qualifying"]
    # One figure: what is told of the race is what the comparison tells that stands below it.
    beside = two_ways.two_ways(
        season.sessions,
        season.actor,
        place,
        season.drivers["Ysolde Farrand"],
        ("option:lap:push", "option:lap:save"),
        found["distance"],
        0,
        0,
    )
    assert found["distance"] == 10 and option["winner_race"] == beside["verdict"] == "second"
    [over] = [line for line in beside["words"] if line.startswith("Over 10 laps")]
    figure = f"{-beside['difference']['total_us'] / 1e6:.1f} s"
    assert figure in over and option["race"] == f"save, by {figure} over 10 laps."
    told = two_ways.two_ways(
        season.sessions,
        season.actor,
        place,
        season.drivers["Ysolde Farrand"],
        ("option:lap:push", "option:lap:save"),
        30,
        0,
        0,
    )
    schemas.VersusOut.model_validate(told)
    assert told["names"] == ["push", "save"] and told["verdict"] == "second" and told["crossing"] is not None
    assert any(line.startswith("save gets ahead of push on lap") for line in told["words"])
    same = two_ways.two_ways(
        season.sessions,
        season.actor,
        place,
        season.drivers["Ysolde Farrand"],
        ("run:08 18:00:1", "run:08 18:00:1"),
        10,
        1,
        25_000_000,
    )
    assert same["verdict"] == "not_yet" and same["difference"]["total_us"] == 0
    for way in ("run:08 18:00:7", "option:lap:nothing"):
        with pytest.raises(Refused, match="no clean lap"):
            two_ways.two_ways(
                season.sessions, season.actor, place, season.drivers["Ysolde Farrand"], (way, way), 10, 0, 0
            )


def test_a_driver_sees_the_own_page_alone(season: Season, place: UUID) -> None:
    season.drive("Corin Ashgrove", EVENING, LAPS)
    with season.sessions() as session:
        key = session.scalars(select(Driver.id).where(Driver.name == "Ysolde Farrand")).one()
    person = add_person(season.sessions, season.actor, "Ysolde at home", "driver", key)
    assert page(season, place, actor=person)["name"] == "Ysolde Farrand"
    with pytest.raises(NotThere):
        page(season, place, "Corin Ashgrove", person)
    with pytest.raises(NotThere):
        two_ways.two_ways(
            season.sessions,
            person,
            place,
            season.drivers["Corin Ashgrove"],
            ("run:08 18:00:1", "run:08 18:00:1"),
            10,
            0,
            0,
        )


@pytest.mark.parametrize(
    "times",
    [[66.0], [90, 66.0], [90, 70, 66.0, 66.0], [90, 70] + [66.0] * 12, [1200.0, 1201, 1199.5, 1200, 1202, 1200.2]],
)
def test_little_or_odd_laps_give_figures_or_reasons(season: Season, times: list[float]) -> None:
    season.week(1)
    season.drive("Ysolde Farrand", EVENING, times, flags="tow" if len(times) == 2 else "")
    found = page(season, season.combination())
    assert all(
        value is not None or f"consistency.{name}" in found["missing"]
        for name, value in found["figures"]["consistency"].items()
        if name != "share_interval"
    )
    assert (
        (found["falloff"] is None) == ("falloff" in found["missing"])
        and found["falloff_words"]
        and found["learning"]["words"]
    )


def test_who_sees_all_sees_everybody_side_by_side_and_a_driver_the_own_column(season: Season) -> None:
    sessions, manager = season.sessions, season.actor
    folder = DATA / "street-101"
    layout = tracks.add_track(sessions, manager, next(folder.glob("*.track.json")).read_bytes())
    made = combinations.add_combination(sessions, manager, layout.id, "Street Car")
    file_id = files.upload(sessions, manager, made.id, "x.csv", (folder / "street-a-101.laps.csv").read_bytes())
    importing.confirm(sessions, manager, file_id, importing.Wishes(made.revision))
    truth = json.loads((folder / "truth.json").read_text(encoding="utf-8"))["drivers"]
    told = schemas.BesideOut.model_validate_json(beside.beside(sessions, manager, made.id)[0])
    assert [driver.name for driver in told.drivers] == sorted(truth)
    for part in told.parts:
        references = {
            driver.name: cell.reference_us
            for driver, cell in zip(told.drivers, part.cells, strict=True)
            if cell is not None
        }
        assert part.owner == min(references, key=lambda name: (references[name], name)) and part.best_us == min(
            references.values()
        )
        for name, reference in references.items():
            if part.code in truth[name]["references_us"]:
                assert reference == pytest.approx(truth[name]["references_us"][part.code], abs=1)
    # The one standing loss of the truth is the dearest thing that anybody could be shown.
    [(name, standing)] = [(name, row) for name, driver in truth.items() for row in driver["standing"]]
    column = [driver.name for driver in told.drivers].index(name)
    excess = {part.code: cell.excess_us for part in told.parts if (cell := part.cells[column]) is not None}
    assert max(excess, key=lambda code: excess[code]) == standing["corner"]
    assert told.pairs[0].learner == name and standing["corner"] in told.pairs[0].parts
    with sessions() as session:
        own = session.scalars(select(Driver.id).where(Driver.public_id == told.drivers[column].id)).one()
    person = add_person(sessions, manager, "At home", "driver", own)
    seen = schemas.BesideOut.model_validate_json(beside.beside(sessions, person, made.id)[0])
    assert [driver.name for driver in seen.drivers] == [name] and seen.pairs == []
    assert all(part.owner is None and len(part.cells) == 1 for part in seen.parts)


def test_a_driver_with_tow_laps_alone_sees_them_all_the_same(season: Season) -> None:
    season.week(1)
    season.drive("Ysolde Farrand", EVENING, LAPS, flags="tow")
    [run] = page(season, season.combination())["runs"]
    assert (run["clean"], run["flying"], run["median_us"], run["slope_us"]) == (0, 9, None, None)
    assert len(run["laps"]) == 9 and all("tow" in lap["marks"] and not lap["clean"] for lap in run["laps"])


def test_of_a_week_its_own_laps_stand_side_by_side(season: Season, place: UUID) -> None:
    season.drive("Ysolde Farrand", EVENING.replace(month=5, day=6), [time + 2 for time in LAPS])
    later = season.week(5)
    driver = season.drivers["Ysolde Farrand"]
    own = two_ways.two_ways(season.sessions, season.actor, place, driver, ("run:06 18:00:1",) * 2, 20, 0, 0, later.id)
    assert own["verdict"] == "not_yet" and own["difference"]["total_us"] == 0
    with pytest.raises(Refused, match="no clean lap of session 08 18:00"):
        two_ways.two_ways(season.sessions, season.actor, place, driver, ("run:08 18:00:1",) * 2, 20, 0, 0, later.id)
    whole = two_ways.two_ways(
        season.sessions, season.actor, place, driver, ("run:08 18:00:1", "run:06 18:00:1"), 20, 0, 0
    )
    assert whole["verdict"] == "first" and whole["difference"]["total_us"] == pytest.approx(40e6, abs=1)


def booked(season: Season, place: UUID, driver: str, actor: Any = None) -> dict[str, Any]:
    body, _ = accounts.driver_accounts(season.sessions, actor or season.actor, place, season.drivers[driver])
    schemas.DriverAccountsOut.model_validate_json(body)
    found: dict[str, Any] = orjson.loads(body)
    return found


def test_the_account_of_each_lap_adds_up_and_others_are_told_to_who_may_see_them(season: Season, place: UUID) -> None:
    season.drive("Corin Ashgrove", EVENING + timedelta(hours=1), [90, 71, 64.0, 64.5, 64.8, 64.6, 64.9])
    found = booked(season, place, "Ysolde Farrand")
    assert found["depth"] == "lap" and len(found["laps"]) == len(LAPS) - 1
    for told in (*found["laps"], found["average"], *found["team"]):
        assert sum(value or 0 for value in told["accounts"].values()) == told["time_us"]
    assert [item["name"] for item in found["team"]] == ["Corin Ashgrove", "Ysolde Farrand"]
    assert found["words"].startswith("On average over 9 flying laps: 1:06.")
    assert {item["account"] for item in found["accounts"] if item["missing"]} >= {"fuel"}
    table = accounts.accounts_csv(season.sessions, season.actor, place, season.drivers["Ysolde Farrand"]).decode()
    head, first, *_ = table.splitlines()
    assert head.startswith("session,run,lap,setup,time_us,reference_us,setup_us") and ",70000000," in first

    with season.sessions() as session:
        key = session.scalars(select(Driver.id).where(Driver.name == "Ysolde Farrand")).one()
    person = add_person(season.sessions, season.actor, "Ysolde at home", "driver", key)
    mine = booked(season, place, "Ysolde Farrand", person)
    assert [item["name"] for item in mine["team"]] == ["Ysolde Farrand"] and mine["laps"] == found["laps"]
    with pytest.raises(NotThere):
        booked(season, place, "Corin Ashgrove", person)


def test_cold_laps_are_proposed_where_runs_show_them_and_no_longer_once_they_count(season: Season) -> None:
    season.week(1)
    warm = (
        [66.00, 66.05, 65.95, 66.00, 66.02, 65.98, 66.00, 66.03],
        [66.02, 65.96, 66.01, 66.04, 65.97, 66.00, 66.03, 65.99],
        [65.98, 66.01, 66.03, 65.96, 66.00, 66.04, 65.97, 66.01],
    )
    for hour, run in enumerate(warm):
        season.drive("Ysolde Farrand", EVENING + timedelta(hours=hour), [100, 67.2, 66.6, 66.25, *run])
    place = season.combination()
    [proposal] = page(season, place)["proposals"]
    assert (proposal["setting"], proposal["value"]) == ("cold_laps", 3)
    assert proposal["words"].startswith("Laps 2 to 4 of a run are 1.")
    assert page(season, place)["falloff"]["cliff"] is None
    seen = combinations.combination(season.sessions, season.actor, place)
    combinations.change_combination(season.sessions, season.actor, place, seen.version, None, {"cold_laps": 3})
    assert page(season, place)["proposals"] == []
