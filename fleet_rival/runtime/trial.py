"""A whole installation in a folder of its own, for pictures, figures of speed and tests: real database, messages,
worker, server.
"""

import os
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import delete, text
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.migrate import upgrade
from fleet_rival.db.session import make_engine, make_sessions
from fleet_rival.db.tables import Base, Team
from fleet_rival.runtime.children import Places, Server, Worker
from fleet_rival.runtime.mariadb import MariaDB
from fleet_rival.runtime.processes import free_port
from fleet_rival.runtime.redis_server import Redis
from fleet_rival.runtime.secret import kept_secret
from fleet_rival.runtime.supervisor import Part
from fleet_rival.telemetry.store import telemetry_place

__all__ = ["Trial", "remove_team", "trial"]


@dataclass
class Trial:
    """What runs, and the way to its data past the server."""

    folder: Path
    database: MariaDB
    messages: Redis
    places: Places
    sessions: sessionmaker[Session]
    worker: Worker
    server: Server

    @property
    def parts(self) -> dict[str, Part]:
        return {"server": self.server, "worker": self.worker, "messages": self.messages, "database": self.database}

    @property
    def address(self) -> str:
        return self.server.address


def remove_team(sessions: sessionmaker[Session], team_id: int) -> None:
    """A team is gone with all its rows, past every rule; its people stay."""
    with sessions.begin() as session:
        session.execute(text("SET SESSION foreign_key_checks = 0"))
        for table in Base.metadata.sorted_tables:
            if "team_id" in table.c:
                session.execute(table.delete().where(table.c.team_id == team_id))
        session.execute(delete(Team).where(Team.id == team_id))
        session.execute(text("SET SESSION foreign_key_checks = 1"))


@contextmanager
def trial(folder: Path) -> Iterator[Trial]:
    """Everything started on free ports with an empty database; ended with whoever asked for it."""
    # Also for what works past the server.
    os.environ.setdefault("FLEET_TELEMETRY", telemetry_place(folder))
    with ExitStack() as ends:
        database, messages = MariaDB(folder / "mariadb", free_port()), Redis(folder / "redis", free_port())
        for server in (database, messages):
            ends.callback(server.stop)
            server.start()
        upgrade(database.url)
        # Who measures looks at whatever they like; the server that is measured has an engine of its own.
        engine = make_engine(database.url, exempt=lambda: True)
        ends.callback(engine.dispose)
        places = Places(database.url, messages.url, kept_secret(folder / "secret.txt"), telemetry_place(folder))
        worker = Worker(places, folder / "worker.log")
        ends.callback(worker.stop)
        web = Server(free_port(), places, folder / "server.log")
        ends.callback(web.stop)
        web.wait()
        yield Trial(folder, database, messages, places, make_sessions(engine), worker, web)
