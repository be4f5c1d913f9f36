"""The part of `./fleet bench` that asks for the week board: forty drivers, six combinations, two hundred thousand
laps.
"""

import os
import time
from datetime import timedelta
from typing import Final

import orjson
from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.bench.load import Asking, add_practice, cookie_of, made_laps, made_layout
from fleet_rival.bench.measure import Row, ninety_five, ratio, seconds, times_in_turn
from fleet_rival.clock import now
from fleet_rival.core.season.targets import Target
from fleet_rival.core.season.weeks import SeriesWeek
from fleet_rival.db.tables import Lap
from fleet_rival.runtime.children import Server
from fleet_rival.runtime.processes import free_port
from fleet_rival.runtime.trial import Trial
from fleet_rival.services.find.overview import fresh
from fleet_rival.services.people.team import make_team
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.week import combinations, entries, profiles, series

__all__ = ["bench_board"]

DRIVERS: Final = 40
COMBINATIONS: Final = 6
LAPS_EACH: Final = 834


def _team(sessions: sessionmaker[Session]) -> Actor:
    """A team with drivers who are entered in a week of each of some series, with laps and hours of their own."""
    actor = make_team(sessions, "Board", "Board")
    today = now().date()
    begin = now() - timedelta(days=2)
    weeks = []
    for number in range(COMBINATIONS):
        layout = made_layout(11, f"Board {number}")
        made = add_practice(
            sessions, actor, layout, f"Car {number}", made_laps(layout, DRIVERS, LAPS_EACH, 40 + number, begin)
        )
        combinations.set_target(sessions, actor, made.id, made.version, Target("ideal", per_cent=101.0), None, (8, 12))
        of = series.add_series(sessions, actor, f"Series {number}")
        facts = SeriesWeek(
            *(
                of.name,
                1,
                "UTC",
                today - timedelta(days=3),
                today + timedelta(days=4),
                (made.car,),
                made.track,
                made.layout,
            ),
            race_minutes=40.0,
            starts=f"every {60 + 30 * number}min from 00:20",
        )
        weeks.append(series.add_week(sessions, actor, of.id, facts))
    drivers = profiles.profiles(sessions, actor)
    hours = {"weekly": [{"days": [0, 2, 4, 5], "begins": "18:00", "ends": "23:00"}], "off": [], "extra": []}
    for driver in drivers:
        profiles.change_profile(
            sessions, actor, driver.id, driver.version, {"zone": "Europe/Oslo", "availability": hours}
        )
    entries.enter(sessions, actor, [item.id for item in weeks], [driver.id for driver in drivers], "want")
    return actor


def bench_board(whole: Trial) -> list[Row]:
    """The board against a route that returns the same bytes, and how long it takes to be made anew after a change."""
    sessions = whole.sessions
    actor = _team(sessions)
    began = time.perf_counter()
    fresh.catch_up(sessions, actor)
    caught_up = time.perf_counter() - began
    with sessions() as session:
        laps = session.scalar(select(func.count()).select_from(Lap).where(Lap.team_id == actor.team_id))
    place = whole.folder / "board.json"
    asking = Asking(whole.address, cookie_of(sessions, actor))
    body = asking.get("/api/board")
    asking.close()
    shown = orjson.loads(body)
    assert len(shown["drivers"]) == DRIVERS and all(len(row["cells"]) == COMBINATIONS for row in shown["drivers"])
    assert all(cell["gap_us"] is not None for row in shown["drivers"] for cell in row["cells"])
    place.write_bytes(body)
    os.environ["FLEET_BENCH_BODY"] = str(place)
    server = Server(
        free_port(), whole.places, whole.folder / "trivial-board.log", "fleet_rival.bench.floors:with_trivial_route()"
    )
    try:
        server.wait()
        time.sleep(12)  # past what the server does by itself after its start
        asking = Asking(server.address, cookie_of(sessions, actor))
        kept, trivial = times_in_turn(lambda: asking.get("/api/board"), lambda: asking.get("/trivial"), 400)
        anew = []
        for _ in range(5):
            seen = combinations.combination(sessions, actor, combinations.combinations(sessions, actor)[0].id)
            combinations.set_target(
                sessions, actor, seen.id, seen.version, Target("ideal", per_cent=101.5), None, (8, 12)
            )
            began = time.perf_counter()
            asking.get("/api/board")
            anew.append(time.perf_counter() - began)
        asking.close()
    finally:
        server.stop()
    what = (
        f"the board ({len(body) // 1000} kB), {DRIVERS} drivers × {COMBINATIONS} combinations, {laps:,} laps in the "
        "team"
    )
    floor = ninety_five(trivial)
    return [
        (
            f"{what}: 95th percentile",
            seconds(ninety_five(kept)),
            f"trivial route with the same bytes: {seconds(floor)}",
            ratio(ninety_five(kept), floor, "3"),
        ),
        ("the board made anew after a change", seconds(sorted(anew)[2]), "the same", ratio(sorted(anew)[2], floor)),
        (f"all standings of these {laps:,} laps, in the background", seconds(caught_up), "", ""),
    ]
