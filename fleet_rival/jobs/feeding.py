"""Takes what rigs send as soon as it is there."""

import logging
import threading

import redis
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.session import engine_of
from fleet_rival.jobs.messages import FEED, connection
from fleet_rival.services.drive import feed

__all__ = ["take_feed"]

_LOOK_EVERY_SECONDS = 2.0
"""Also without being told: a message may be lost."""
_LOCK = "fleet-rival:feed"
log = logging.getLogger(__name__)


def take_feed(sessions: sessionmaker[Session], end: threading.Event) -> None:
    """Until the worker ends: wait to be told, take all that waits. One process at a time does it, whichever holds
    the lock.
    """
    heard: redis.client.PubSub | None = None
    while not end.is_set():
        try:
            if heard is None:
                heard = connection().pubsub(ignore_subscribe_messages=True)  # type: ignore[no-untyped-call]
                heard.subscribe(FEED)
            heard.get_message(timeout=_LOOK_EVERY_SECONDS)
        except redis.RedisError:
            heard = None
            end.wait(_LOOK_EVERY_SECONDS)
        try:
            _take_all(sessions, end)
        except DBAPIError:
            log.warning("what rigs sent can't be taken now; trying again in a moment")
            end.wait(_LOOK_EVERY_SECONDS)
        except Exception:
            # Whatever one line brings about must not end the taking of all others.
            log.exception("what rigs sent could not be taken")
            end.wait(_LOOK_EVERY_SECONDS)


def _take_all(sessions: sessionmaker[Session], end: threading.Event) -> None:
    with engine_of(sessions).connect() as holding:
        if not holding.execute(text("SELECT GET_LOCK(:name, 0)"), {"name": _LOCK}).scalar():
            return
        try:
            while not end.is_set() and feed.take(sessions):
                pass
        finally:
            holding.execute(text("SELECT RELEASE_LOCK(:name)"), {"name": _LOCK})
