"""The worker process: runs jobs, and looks for those that nobody told it of."""

import logging
import os
import threading
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path
from typing import Any

from celery.signals import worker_ready, worker_shutdown
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.clock import now
from fleet_rival.collector import settle
from fleet_rival.db import events
from fleet_rival.db.session import make_engine, make_sessions
from fleet_rival.jobs import messages
from fleet_rival.jobs.feeding import take_feed
from fleet_rival.jobs.kinds import KINDS
from fleet_rival.jobs.messages import tell_events, wake
from fleet_rival.logs import configure
from fleet_rival.services.shared import jobs, trace_files
from fleet_rival.services.shared.cache import answers

__all__ = ["app"]

_LOOK_EVERY_SECONDS = 3.0
_SWEEP_EVERY = 400
"""Looks after which old events are thrown away."""
configure()
app = messages.celery()
log = logging.getLogger(__name__)
_sessions: sessionmaker[Session] = make_sessions(make_engine(os.environ["FLEET_DATABASE_URL"]))
events.on_commit(tell_events)
_end = threading.Event()


@app.task(name="fleet_rival.run_job")  # type: ignore[untyped-decorator]
def run_job(key: int) -> None:
    """Do a job if it is free."""
    jobs.run(_sessions, key, KINDS)


@worker_ready.connect  # type: ignore[untyped-decorator]
def _begin(**_: Any) -> None:
    settle()
    threading.Thread(target=_look, daemon=True).start()
    threading.Thread(target=take_feed, args=(_sessions, _end), daemon=True).start()


@worker_shutdown.connect  # type: ignore[untyped-decorator]
def _stop(**_: Any) -> None:
    _end.set()


def _sign() -> None:
    """Show whoever watches this process that it looks for work."""
    if place := os.environ.get("FLEET_SIGN"):
        with suppress(OSError):
            Path(place).touch()


def _look() -> None:
    """Find jobs whose message or worker was lost, at the start and every few seconds.

    They are told of once more; what still isn't heard at the next look is done right here, so that no trouble with
    messages
    keeps a job waiting. Twice told or done is no harm: a job is taken once.
    """
    count = 0
    told: set[int] = set()
    unheard = ThreadPoolExecutor(1)
    in_hand: dict[int, Future[None]] = {}
    while True:
        _sign()
        try:
            in_hand = {key: doing for key, doing in in_hand.items() if not doing.done()}
            due = set(jobs.due(_sessions)) - in_hand.keys()
            for key in due & told:
                in_hand[key] = unheard.submit(jobs.run, _sessions, key, KINDS)
            for key in due - told:
                wake(key)
            told = due - told
            if count % _SWEEP_EVERY == 0:
                with _sessions.begin() as session:
                    events.sweep(session)
                    answers.sweep(session, now())
                trace_files.sweep(_sessions, now())
        except DBAPIError:
            log.warning("the database can't be reached; looking again in a moment")
        count += 1
        if _end.wait(_LOOK_EVERY_SECONDS):
            return
