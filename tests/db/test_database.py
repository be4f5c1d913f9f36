"""What the database promises: migrations both ways, exact text, UTC moments, no row across teams."""

import gc
from datetime import UTC, datetime, timedelta, timezone
from typing import Any

import pytest
from alembic import command
from sqlalchemy import Engine, func, inspect, select, text
from sqlalchemy.exc import IntegrityError, StatementError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.migrate import configuration, downgrade, upgrade
from fleet_rival.db.session import make_engine
from fleet_rival.db.tables import Base, Car, Combination, Driver, Layout, Team, TrackRow
from fleet_rival.services.week import entries
from tests.conftest import manager_of
from tests.services.conftest import NOON, filled_season

Sessions = sessionmaker[Session]


def test_migrations_run_both_ways_on_a_filled_database(database_url: str, engine: Engine, sessions: Sessions) -> None:
    season = filled_season(sessions)
    made = season.week(1)
    entries.enter(sessions, season.actor, [made.id], list(season.drivers.values()), "must")
    season.drive("Ysolde Farrand", NOON, [90, 66.0, 65.5])
    season.board()
    with sessions() as session:
        filled = {
            table.name
            for table in Base.metadata.sorted_tables
            if session.scalar(select(func.count()).select_from(table))
        }
    assert {"series_week", "entry", "standing", "lap", "change", "layout_corner"} <= filled
    command.check(configuration(database_url))
    downgrade(database_url, "base")
    assert inspect(engine).get_table_names() == ["alembic_version"]
    upgrade(database_url)
    command.check(configuration(database_url))


def test_what_was_there_before_the_seasons_stays_and_gets_what_is_usual(
    database_url: str, engine: Engine, sessions: Sessions
) -> None:
    actor = manager_of(sessions)
    plain = sessionmaker(sessions.kw["bind"])
    with plain.begin() as session:
        session.add_all([Car(team_id=actor.team_id, name="Truck"), Driver(team_id=actor.team_id, name="Åsmund")])
    downgrade(database_url, "0002")
    assert "series_week" not in inspect(engine).get_table_names()
    upgrade(database_url)
    with sessions() as session:
        car, driver = session.scalars(select(Car)).one(), session.scalars(select(Driver)).one()
        assert (car.name, car.traits, car.restricted, car.edition) == ("Truck", [], False, 0)
        assert (driver.name, driver.assists, driver.availability) == ("Åsmund", {}, {})


def test_names_compare_exactly_and_moments_keep_their_microseconds(sessions: Sessions) -> None:
    actor = manager_of(sessions)
    names = ["Åsmund", "asmund", "Asmund", "Asmund "]
    moment = datetime(2031, 3, 4, 19, 17, 10, 155123, tzinfo=timezone(timedelta(hours=2)))
    plain = sessionmaker(sessions.kw["bind"])
    with plain.begin() as session:
        session.add_all(Driver(team_id=actor.team_id, name=name, created_at=moment) for name in names)
    with sessions() as session:
        assert session.scalars(select(Driver.name).where(Driver.name == "Asmund")).all() == ["Asmund"]
        stored = session.scalar(select(Driver.created_at).limit(1))
        assert stored == moment and stored is not None and stored.tzinfo is UTC
    with pytest.raises(IntegrityError), plain.begin() as session:
        session.add(Driver(team_id=actor.team_id, name="Åsmund"))
    with pytest.raises(StatementError, match="time zone"), plain.begin() as session:
        session.add(Driver(team_id=actor.team_id, name="Later", created_at=datetime(2031, 1, 1)))


def test_a_row_cannot_point_into_another_team(sessions: Sessions) -> None:
    plain = sessionmaker(sessions.kw["bind"])
    with plain.begin() as session:
        ours, theirs = Team(name="Ours"), Team(name="Theirs")
        session.add_all([ours, theirs])
        session.flush()
        track = TrackRow(team_id=ours.id, name="Quernholm")
        car = Car(team_id=theirs.id, name="GT")
        session.add_all([track, car])
        session.flush()
        layout = Layout(team_id=ours.id, track_id=track.id, name="Short", kind="street", length_m=1000.0)
        session.add(layout)
        session.flush()
        keys = {"layout_id": layout.id, "car_id": car.id}
        ours_id = ours.id
    with pytest.raises(IntegrityError), plain.begin() as session:
        session.add(Combination(team_id=ours_id, settings={}, **keys))


def test_each_row_belongs_to_a_team_and_the_server_is_set_as_meant(engine: Engine) -> None:
    shared = {"team", "person", "sign_in", "sign_in_attempt"}  # an installation's own
    assert all(
        "team_id" in table.columns and not table.columns["team_id"].nullable
        for table in Base.metadata.sorted_tables
        if table.name not in shared
    )
    with engine.connect() as connection:
        values = connection.execute(
            text(
                "SELECT @@tx_isolation, @@time_zone, @@collation_database, @@sql_mode, "
                "@@innodb_flush_log_at_trx_commit, @@local_infile"
            )
        ).one()
    assert values[:3] == ("READ-COMMITTED", "+00:00", "utf8mb4_nopad_bin")
    assert "STRICT_ALL_TABLES" in values[3] and values[4:] == (1, 0)


def test_a_connection_outlives_a_cursor_that_the_collector_takes(database_url: str) -> None:
    """Who is refused leaves a cursor in the cycle of its own traceback; a driver was seen to free the connection with
    it.
    """
    own = make_engine(database_url)
    try:
        with own.connect() as connection:
            for _ in range(8):
                ring: list[Any] = [connection.connection.cursor()]
                ring.append(ring)
                del ring
                gc.collect()
            assert connection.execute(text("select 1")).scalar() == 1
    finally:
        own.dispose()
