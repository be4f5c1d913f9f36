"""A job in the hands of one worker: its lease, renewed while it works, and its end."""

import ctypes
import logging
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import timedelta
from functools import cached_property
from typing import Any, Generic, TypeVar
from uuid import UUID

from pydantic import TypeAdapter
from sqlalchemy import select, update
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.db.events import announce
from fleet_rival.db.tables import Job
from fleet_rival.services.shared.base import Actor, Work

__all__ = ["LEASE", "Asked", "Cancelled", "Kind", "Kinds", "Leased", "Lost", "Nothing", "log"]

LEASE = timedelta(seconds=12)


_RENEW_SECONDS = 1.5


_LOOKS_UNTIL_INTERRUPTED = 3


log = logging.getLogger(__name__)


Asked = TypeVar("Asked")


Told = TypeVar("Told")


@dataclass(frozen=True)
class Kind(Generic[Asked, Told]):
    """A kind of background work.

    Attributes:
        name: of the kind, in its row, on the wire and in the front end.
        asked: what it is begun with; kept in its row as plain values.
        told: what it says of itself when it is done.
        do: does it. It must call `finish` with a `told` in the transaction that does the work.
    """

    name: str
    asked: type[Asked]
    told: type[Told]
    do: Callable[[sessionmaker[Session], Actor, Asked, Work], None]

    @cached_property
    def given(self) -> TypeAdapter[Asked]:
        """Between what it is asked and the plain values on its row."""
        return TypeAdapter(self.asked)

    @cached_property
    def result(self) -> TypeAdapter[Told]:
        """Between what it tells and the plain values on its row."""
        return TypeAdapter(self.told)


@dataclass(frozen=True, slots=True)
class Nothing:
    """Of work that is seen in what it did."""


Kinds = Mapping[str, Kind[Any, Any]]


class Cancelled(Exception):
    """Somebody wants the work to end."""


class Lost(Exception):
    """Another worker has taken this job over."""


class Leased(Work):
    """A job in the hands of this worker."""

    kind: Kind[Any, Any]

    def __init__(self, sessions: sessionmaker[Session], key: int, attempt: int, team_id: int, public_id: UUID) -> None:
        self._sessions = sessions
        self._mine = (Job.id == key, Job.state == "running", Job.attempt == attempt)
        self._team_id = team_id
        self._public_id = public_id
        self._thread = threading.get_ident()
        self._lock = threading.Lock()
        self._settled = False

    def step(self, share: float, doing: str) -> None:
        with self._sessions.begin() as session:
            done = session.execute(
                update(Job).where(*self._mine).values(progress=share, doing=doing[:120], lease_until=now() + LEASE)
            )
            if not done.rowcount:  # type: ignore[attr-defined]
                raise Lost
            announce(session, self._team_id, "job", self._public_id)
            asked = session.scalar(select(Job.cancel_asked).where(*self._mine))
        if asked:
            raise Cancelled

    def look(self) -> None:
        if self.cancel_wanted:
            raise Cancelled

    def finish(self, session: Session, told: object) -> None:
        # What is about to be true is no longer interrupted.
        self.settle()
        result = self.kind.result.dump_python(told, mode="json")
        values = {"state": "done", "progress": 1.0, "doing": None, "result": result, "ended_at": now()}
        if not session.execute(update(Job).where(*self._mine).values(**values)).rowcount:  # type: ignore[attr-defined]
            raise Lost
        announce(session, self._team_id, "job", self._public_id)

    def end(self, state: str, trouble: str) -> None:
        with self._sessions.begin() as session:
            session.execute(
                update(Job).where(*self._mine).values(state=state, trouble=trouble[:500], doing=None, ended_at=now())
            )
            announce(session, self._team_id, "job", self._public_id)

    def settle(self) -> None:
        """From here on nobody interrupts the work."""
        with self._lock:
            self._settled = True

    def interrupt(self) -> None:
        """End the work where it is: an error arises in its thread at the next step of the interpreter, unless it is
        done by now.
        """
        with self._lock:
            if not self._settled:
                self._settled = True
                ctypes.pythonapi.PyThreadState_SetAsyncExc(ctypes.c_ulong(self._thread), ctypes.py_object(Cancelled))

    def renewed(self) -> "_Renewal":
        return _Renewal(self._sessions, self._mine, self)


class _Renewal:
    """Renews a lease from a thread of its own while the work goes on, however long its steps, and ends it where
    somebody wants that.

    Work that asks at its steps ends by itself; what is still going on some looks later is interrupted.
    """

    def __init__(self, sessions: sessionmaker[Session], mine: tuple[Any, ...], work: Leased) -> None:
        self._sessions = sessions
        self._mine = mine
        self._work = work
        self._end = threading.Event()
        self._thread = threading.Thread(target=self._renew, daemon=True)

    def __enter__(self) -> None:
        self._thread.start()

    def __exit__(self, *_: object) -> None:
        self._end.set()
        self._thread.join()

    def _renew(self) -> None:
        wanted = 0
        while not self._end.wait(_RENEW_SECONDS):
            try:
                with self._sessions.begin() as session:
                    session.execute(update(Job).where(*self._mine).values(lease_until=now() + LEASE))
                    wanted += bool(session.scalar(select(Job.cancel_asked).where(*self._mine)))
            except SQLAlchemyError:
                log.warning("the lease of a job could not be renewed")
            self._work.cancel_wanted = wanted > 0
            if wanted >= _LOOKS_UNTIL_INTERRUPTED:
                self._work.interrupt()
