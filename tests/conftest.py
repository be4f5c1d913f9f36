"""What the tests stand on: a real MariaDB of their own, emptied between tests, and examples."""

import os
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest
from hypothesis import HealthCheck
from hypothesis import settings as checked
from sqlalchemy import Engine
from sqlalchemy.orm import Session, sessionmaker

if TYPE_CHECKING:
    from fleet_rival.services.shared.base import Actor
    from tests.filled import Filled

# Before anything of the interface is loaded: the tests hold its description against the code.
os.environ["FLEET_DESCRIBE"] = "1"
# How long something takes is the bench's matter: on a busy machine everything takes long.
checked.register_profile("untimed", deadline=None, suppress_health_check=[HealthCheck.too_slow])
checked.load_profile("untimed")
HOME = Path(__file__).parents[1]
DATA = Path(__file__).parent / "data"
DEMO = HOME / "var" / "test-demo-browser"
"""Where the demo's scenario is kept between runs."""


@pytest.fixture(scope="session")
def database_url(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """A private MariaDB with all tables, ended after the run."""
    from fleet_rival.db.migrate import upgrade
    from fleet_rival.runtime.mariadb import MariaDB
    from fleet_rival.runtime.processes import free_port

    server = MariaDB(tmp_path_factory.mktemp("mariadb"), free_port())
    server.start()
    try:
        upgrade(server.url)
        yield server.url
    finally:
        server.stop()


@pytest.fixture(scope="session", autouse=True)
def redis_url(tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """A private Redis, known to all tests as the application knows its own."""
    from fleet_rival.runtime.processes import free_port
    from fleet_rival.runtime.redis_server import Redis

    server = Redis(tmp_path_factory.mktemp("redis"), free_port())
    server.start()
    os.environ["FLEET_REDIS_URL"] = server.url
    try:
        yield server.url
    finally:
        server.stop()


@pytest.fixture(scope="session", autouse=True)
def telemetry(tmp_path_factory: pytest.TempPathFactory) -> str:
    """A place for traces, known to all tests as the application knows its own."""
    os.environ["FLEET_TELEMETRY"] = tmp_path_factory.mktemp("telemetry").as_uri()
    return os.environ["FLEET_TELEMETRY"]


@pytest.fixture(scope="session")
def engine(database_url: str) -> Iterator[Engine]:
    from fleet_rival.db.session import make_engine

    made = make_engine(database_url, asked_by_a_test)
    yield made
    made.dispose()


def asked_by_a_test() -> bool:
    """Tests themselves look at whatever they like; what the product asks has to say of which team."""
    frame: Any = sys._getframe(1)
    while frame is not None and not frame.f_code.co_filename.startswith(
        (str(HOME / "tests"), str(HOME / "fleet_rival" / "services"))
    ):
        frame = frame.f_back
    return frame is not None and frame.f_code.co_filename.startswith(str(HOME / "tests"))


@pytest.fixture(scope="session")
def wipe() -> str:
    """Empties all tables in one go: a table at a time, asking takes longer than emptying does."""
    from fleet_rival.db.tables import Base

    each = "; ".join(f"DELETE FROM `{table.name}`" for table in reversed(Base.metadata.sorted_tables))
    # Change sets refer to each other.
    return f"BEGIN NOT ATOMIC SET foreign_key_checks = 0; {each}; SET foreign_key_checks = 1; END"


@pytest.fixture
def sessions(engine: Engine, wipe: str) -> Iterator[sessionmaker[Session]]:
    """Sessions on an empty database."""
    from fleet_rival.db.session import make_sessions

    yield make_sessions(engine)
    with engine.begin() as connection:
        connection.exec_driver_sql(wipe)


@pytest.fixture(scope="session")
def fill_once(engine: Engine) -> "Filled":
    """Fills an empty database, or puts back what it was filled with before."""
    from tests.filled import Filled

    return Filled(engine)


def manager_of(sessions: sessionmaker[Session], team: str = "Farhaven Racing", name: str = "Maren Holloway") -> "Actor":
    """A manager of a team, which is made if it isn't there."""
    from fleet_rival.services.people.team import make_team, person_called

    return person_called(sessions, name) or make_team(sessions, team, name)


def example(path: str) -> bytes:
    return (DATA / path).read_bytes()
