"""Where engines and sessions are made."""

import time
from collections.abc import Callable
from typing import Any, Final

import mariadb
import orjson
from sqlalchemy import Engine, create_engine, event, text
from sqlalchemy.exc import DBAPIError, DisconnectionError, InterfaceError, SQLAlchemyError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db import events, recording, tenancy

__all__ = [
    "database_answers",
    "engine_of",
    "is_in_the_way",
    "is_passing",
    "make_engine",
    "make_sessions",
    "may_be_kept",
]

_IN_THE_WAY: Final = frozenset({1205, 1213})
"""MariaDB's numbers for a lock that took too long and for a deadlock that it ended."""
_AWAY: Final = frozenset(
    {1021, 1040, 1053, 1114, 1129, 1158, 1159, 1160, 1161, 1203, 1927, 2002, 2003, 2006, 2013, 2014, 2055}
)
"""MariaDB's numbers for what has nothing to do with what was asked: it is away, ends, has no room or no place for
one more.
"""


def make_engine(url: str, exempt: Callable[[], bool] = lambda: False) -> Engine:
    """An engine with READ COMMITTED, a bounded pool, and connections that are checked when they lay idle.

    Args:
        url: `mariadb+mariadbconnector://…`; the connector is the one driver that is tested.
        exempt: as in `tenancy.watch`.
    """
    engine = create_engine(
        url,
        isolation_level="READ COMMITTED",
        pool_size=8,
        max_overflow=8,
        pool_recycle=3600,
        # Who waits longer for a place is told that it is busy, instead of all waiting for ever.
        pool_timeout=10,
        connect_args={"connect_timeout": 5},
        # Sessions end their transactions before they give a connection back; a second rollback would only cost time.
        pool_reset_on_return=None,
        # Errors are logged, and what people wrote must not be.
        hide_parameters=True,
        json_serializer=_to_json,
        json_deserializer=orjson.loads,
    )
    event.listen(engine, "checkin", _note_use)
    event.listen(engine, "checkout", _check_when_idle)
    tenancy.watch(engine, exempt)
    return engine


class RecordedSession(Session):
    """A session that keeps each change of what people enter, and tells of it."""


recording.watch(RecordedSession)
events.watch(RecordedSession)


def make_sessions(engine: Engine) -> sessionmaker[Session]:
    return sessionmaker(engine, class_=RecordedSession, expire_on_commit=False)


def engine_of(sessions: sessionmaker[Session]) -> Engine:
    """The engine behind sessions, for a read that needs no unit of work."""
    engine: Engine = sessions.kw["bind"]
    return engine


def database_answers(sessions: sessionmaker[Session]) -> bool:
    """Whether the database can be asked now."""
    try:
        with engine_of(sessions).connect() as connection:
            return bool(connection.scalar(text("SELECT 1")) == 1)
    except SQLAlchemyError:
        return False


def is_in_the_way(error: BaseException) -> bool:
    """Whether somebody else's work was in the way, and the same may go well at once."""
    return isinstance(error, DBAPIError) and getattr(error.orig, "errno", None) in _IN_THE_WAY


def may_be_kept(error: BaseException) -> bool:
    """Whether the database was lost in the very moment in which something became true: nobody can say whether it did.

    What fails while a statement is asked has a statement, and is rolled back.
    """
    return isinstance(error, DBAPIError) and error.statement is None and error.connection_invalidated


def is_passing(error: BaseException) -> bool:
    """Whether an error comes from the state that the database is in, and not from what it was asked: later the same
    may go well.
    """
    if isinstance(error, PoolTimeout | InterfaceError):
        return True
    return isinstance(error, DBAPIError) and (
        error.connection_invalidated or getattr(error.orig, "errno", None) in _AWAY | _IN_THE_WAY
    )


def _to_json(value: Any) -> str:
    return orjson.dumps(value).decode()


_IDLE_SECONDS = 2.0
"""A connection that was in use more recently is taken for alive: asking each time costs as much as a query."""


def _note_use(connection: Any, record: Any) -> None:
    record.info["used_at"] = time.monotonic()


def _check_when_idle(connection: Any, record: Any, proxy: Any) -> None:
    if time.monotonic() - record.info.get("used_at", 0.0) > _IDLE_SECONDS:
        try:
            connection.ping()
        except mariadb.Error as error:
            raise DisconnectionError from error
