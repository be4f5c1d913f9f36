"""The part of `./fleet bench` that plans stops, and takes a season's package out and in."""

import io
import time
from typing import Final

import numpy as np
from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.bench.load import add_practice, made_laps, made_layout
from fleet_rival.bench.measure import Row, ratio, repeat_in_turn, seconds
from fleet_rival.core.race.caution import caution_windows
from fleet_rival.core.race.stops import CompoundPace, Rules, plans_of
from fleet_rival.db.session import engine_of
from fleet_rival.db.tables import Lap
from fleet_rival.runtime.trial import remove_team
from fleet_rival.services.exchange.bring import bring_team
from fleet_rival.services.exchange.export import export_team
from fleet_rival.services.exchange.tables import TELEMETRY, plain_tables
from fleet_rival.services.people.team import make_team
from fleet_rival.services.shared.base import Actor

__all__ = ["bench_race"]

_LAPS: Final = 60
_DRAWS: Final = 2000
_COMPOUNDS: Final = (
    CompoundPace("soft", 60.0e6, 85_000, 70_000, 100_000, life=26, cold_us=900_000),
    CompoundPace("medium", 60.5e6, 45_000, 35_000, 55_000, life=40, cold_us=1_200_000),
    CompoundPace("hard", 60.9e6, 25_000, 18_000, 32_000, cold_us=1_600_000),
)
_COMBINATIONS: Final = 8
_DRIVERS, _EACH = 40, 625
"""Of each combination: 200,000 laps in all."""


def bench_race(sessions: sessionmaker[Session]) -> list[Row]:
    return [*_strategy(), *_package(sessions, make_team(sessions, "Season", "Bench of the season"))]


def _strategy() -> list[Row]:
    rules = Rules(_LAPS, frozenset({"hard"}), 1, pit_us=22e6)
    rng = np.random.default_rng(1)

    def floor() -> float:
        """As many races as there are draws, of which only the laps are added up."""
        return float(rng.standard_normal((_DRAWS, _LAPS)).sum(axis=1).max())

    took, least = repeat_in_turn(lambda: plans_of(_COMPOUNDS, rules, _DRAWS), floor, 5)
    plan = plans_of(_COMPOUNDS, rules, _DRAWS).plans[0]
    caution, _ = repeat_in_turn(lambda: caution_windows(_COMPOUNDS, rules, plan, 11e6), floor, 3)
    name = (
        f"all plans of {_LAPS} laps with {len(_COMPOUNDS)} compounds and up to {rules.most_stops} stops, {_DRAWS:,} "
        "draws"
    )
    return [
        (
            name,
            f"{seconds(took)} (aim about 1 s)",
            f"NumPy draws and adds up as many laps: {seconds(least)}",
            ratio(took, least),
        ),
        (
            "the laps behind which a caution makes stopping worth it",
            seconds(caution),
            "the same",
            ratio(caution, least),
        ),
    ]


def _package(sessions: sessionmaker[Session], actor: Actor) -> list[Row]:
    for number in range(_COMBINATIONS):
        layout = made_layout(11, f"Season {number + 1}")
        add_practice(sessions, actor, layout, f"Car {number + 1}", made_laps(layout, _DRIVERS, _EACH, number))
    with sessions() as session:
        laps = session.scalar(select(func.count()).select_from(Lap).where(Lap.team_id == actor.team_id)) or 0
    begin = time.perf_counter()
    raw = _read_raw(sessions, actor)
    read = time.perf_counter() - begin
    file = io.BytesIO()
    begin = time.perf_counter()
    rows = export_team(sessions, actor, file)
    out = time.perf_counter() - begin
    remove_team(sessions, actor.team_id)
    begin = time.perf_counter()
    brought = bring_team(sessions, io.BytesIO(file.getvalue()))
    came = time.perf_counter() - begin
    again = io.BytesIO()
    export_team(sessions, brought.members[0], again)
    assert again.getvalue() == file.getvalue(), "not the same, byte for byte"
    floor = f"reading the same tables raw ({raw:,} rows): {seconds(read)}"
    size = len(file.getvalue()) / 1e6
    return [
        (
            f"package of a season out: {laps:,} laps, {rows:,} rows, {size:.0f} MB",
            f"{seconds(out)} (aim 20 s)",
            floor,
            ratio(out, read),
        ),
        (
            "the same in, into a database without them; out again it is the same",
            f"{seconds(came)} (aim 60 s)",
            floor,
            ratio(came, read),
        ),
    ]


def _read_raw(sessions: sessionmaker[Session], actor: Actor) -> int:
    told = 0
    with engine_of(sessions).connect() as connection:
        for table in plain_tables():
            if table.of_team and table.name not in TELEMETRY:
                rows = connection.exec_driver_sql((f"SELECT * FROM `{table.name}` WHERE team_id = ?"), (actor.team_id,))  # noqa: S608 - our own names
                told += len(rows.fetchall())
    return told
