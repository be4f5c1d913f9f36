"""A filled database, filled once: whoever needs it again gets the same rows and files back, in a fraction of the
time.
"""

import os
from collections.abc import Callable
from copy import deepcopy
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar
from urllib.parse import urlparse
from urllib.request import url2pathname

import redis
from sqlalchemy import Engine
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import Base
from fleet_rival.services.board import answer
from fleet_rival.services.drive.traces import view
from fleet_rival.services.find import analyses
from fleet_rival.services.shared.cache import answers
from fleet_rival.services.shared.cache.memory import Remembered

__all__ = ["Filled"]

Item = TypeVar("Item")


@dataclass(frozen=True)
class _Taken:
    """What was there once it was filled."""

    item: Any
    sessions: sessionmaker[Session]
    rows: dict[str, tuple[list[str], list[Any]]]
    files: dict[Path, bytes]


class Filled:
    """Fills an empty database, or puts back what the same function filled it with before."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._taken: dict[Callable[..., Any], _Taken] = {}

    def __call__(self, sessions: sessionmaker[Session], fill: Callable[[sessionmaker[Session]], Item]) -> Item:
        """
        Args:
            fill: makes the rows, and what the test works with, which holds no open session.
        """
        taken = self._taken.get(fill)
        if taken is None:
            before = _files()
            item = fill(sessions)
            files = {path: content for path, content in _files().items() if path not in before}
            # A copy: the first one who uses it may change it.
            self._taken[fill] = _Taken(deepcopy(item, {id(sessions): sessions}), sessions, self._rows(), files)
            return item
        _forget()
        for path, content in taken.files.items():
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(content)
        with self._engine.begin() as connection:
            connection.exec_driver_sql("SET SESSION foreign_key_checks = 0")
            for table, (columns, rows) in taken.rows.items():
                places = ", ".join("?" * len(columns))
                connection.exec_driver_sql(f"INSERT INTO `{table}` ({', '.join(columns)}) VALUES ({places})", rows)
            connection.exec_driver_sql("SET SESSION foreign_key_checks = 1")
        restored: Item = deepcopy(taken.item, {id(taken.sessions): sessions})
        return restored

    def _rows(self) -> dict[str, tuple[list[str], list[Any]]]:
        found = {}
        with self._engine.connect() as connection:
            for table in Base.metadata.sorted_tables:
                columns = [f"`{column.name}`" for column in table.columns if column.computed is None]
                rows = [
                    tuple(row) for row in connection.exec_driver_sql(f"SELECT {', '.join(columns)} FROM `{table.name}`")
                ]
                if rows:
                    found[table.name] = (columns, rows)
        return found


def _files() -> dict[Path, bytes]:
    """All that traces and uploads left."""
    place = Path(url2pathname(urlparse(os.environ["FLEET_TELEMETRY"]).path))
    return {path: path.read_bytes() for path in place.rglob("*") if path.is_file()}


def _forget() -> None:
    """Keys and revisions come again, and may stand for something else than in the test before."""
    for recent in (answers._at_hand, answer._at_hand, view._at_hand):
        recent._bodies.clear()
        recent._held = 0
    remembered: Remembered = analyses._remembered
    remembered._held.clear()
    redis.Redis.from_url(os.environ["FLEET_REDIS_URL"]).flushdb()
