"""Live events to browsers: one thread looks for new ones, each open stream waits for its own.

The `event` table is the truth. Redis only says when to look; without it the table is looked at every few seconds. A
stream
holds a thread and no database connection. There are only so many places; who finds none asks every few seconds instead.
"""

import json
import logging
import queue
import threading
import time
from collections.abc import Iterator, Sequence

import redis
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.events import Happened, events_after, is_gone, last_event
from fleet_rival.jobs.messages import EVENTS, connection
from fleet_rival.services.people import sign_in
from fleet_rival.services.shared.base import Actor

__all__ = ["PLACES", "Streams", "for_actor"]

PLACES = 56
"""Streams at once in one process; the server has some threads more for ordinary requests."""
_PLACES_EACH = 6
"""Streams at once of one person, so that nobody takes all places."""
_BEAT_SECONDS = 20.0
_LOOK_SECONDS = 4.0
_BACK = 200
"""Ids looked back over at each look: a transaction may commit after one that began later."""
log = logging.getLogger(__name__)


def for_actor(events: Sequence[Happened], actor: Actor) -> list[Happened]:
    """The events that an actor may hear of."""
    return [event for event in events if event.team_id == actor.team_id and event.person_id in (None, actor.person_id)]


class Streams:
    """All open streams of this process."""

    def __init__(self, sessions: sessionmaker[Session], places: int = PLACES) -> None:
        self._sessions = sessions
        self._places = places
        self._lock = threading.Lock()
        self._open: list[_Stream] = []
        self._seen: set[int] = set()
        self._last = 0
        self._look_now = threading.Event()
        self._closed = threading.Event()
        self._running = False

    def open(self, actor: Actor, token: str, after: int | None) -> Iterator[str] | None:
        """A stream of events for who is signed in with a token; None where all places are taken.

        Args:
            after: the last event that the browser has heard of.
        """
        stream = _Stream(self, actor, token, after)
        with self._lock:
            own = sum(other.actor.person_id == actor.person_id for other in self._open)
            if self._closed.is_set() or len(self._open) >= self._places or own >= _PLACES_EACH:
                return None
            self._open.append(stream)
            if not self._running:
                self._running = True
                self._begin()
                threading.Thread(target=self._listen, daemon=True).start()
                threading.Thread(target=self._deliver, daemon=True).start()
        return stream.text()

    def close(self) -> None:
        """End all streams: the server stops."""
        self._closed.set()
        with self._lock:
            for stream in self._open:
                stream.waiting.put(None)

    def leave(self, stream: "_Stream") -> None:
        with self._lock:
            if stream in self._open:
                self._open.remove(stream)

    def missed(self, after: int, actor: Actor) -> tuple[bool, list[Happened]]:
        """Whether events since then are gone, and those that are there."""
        with self._sessions() as session:
            return is_gone(session, after), for_actor(events_after(session, after), actor)

    def is_signed_in(self, token: str) -> bool:
        try:
            found = sign_in.signed_in(self._sessions, token)
        except DBAPIError:
            return True
        return found is not None and found.actor is not None

    @property
    def closed(self) -> bool:
        return self._closed.is_set()

    def _begin(self) -> None:
        """What is there before the first stream isn't new."""
        with self._sessions() as session:
            self._last = last_event(session)
            self._seen = {event.id for event in events_after(session, self._last - _BACK)}

    def _listen(self) -> None:
        """Hear from Redis that there is something new."""
        while not self._closed.is_set():
            try:
                with connection() as server, server.pubsub(ignore_subscribe_messages=True) as heard:
                    heard.subscribe(EVENTS)
                    while not self._closed.is_set():
                        if heard.get_message(timeout=2.0):
                            self._look_now.set()
            except redis.RedisError:
                self._closed.wait(2.0)

    def _deliver(self) -> None:
        while not self._closed.is_set():
            self._look_now.wait(_LOOK_SECONDS)
            self._look_now.clear()
            try:
                with self._sessions() as session:
                    events = [
                        event for event in events_after(session, self._last - _BACK) if event.id not in self._seen
                    ]
            except DBAPIError:
                log.warning("events can't be read; looking again in a moment")
                time.sleep(1.0)
                continue
            self._seen |= {event.id for event in events}
            self._last = max([self._last, *(event.id for event in events)])
            self._seen = {number for number in self._seen if number > self._last - 2 * _BACK}
            with self._lock:
                for stream in self._open:
                    for event in for_actor(events, stream.actor):
                        stream.waiting.put(event)


class _Stream:
    def __init__(self, streams: Streams, actor: Actor, token: str, after: int | None) -> None:
        self.actor = actor
        self.waiting: queue.SimpleQueue[Happened | None] = queue.SimpleQueue()
        self._streams = streams
        self._token = token
        self._after = after

    def text(self) -> Iterator[str]:
        """What goes over the wire: events, and a beat when there are none."""
        try:
            yield "retry: 3000\n\n"
            if self._after is not None:
                gone, events = self._streams.missed(self._after, self.actor)
                if gone:
                    yield "event: missed\ndata: {}\n\n"
                for event in events:
                    yield _line(event)
            asked = time.monotonic()
            while not self._streams.closed:
                try:
                    event_or_end = self.waiting.get(timeout=_BEAT_SECONDS)
                    if event_or_end is None:
                        return
                    text = _line(event_or_end)
                except queue.Empty:
                    text = ": beat\n\n"
                if time.monotonic() - asked >= _BEAT_SECONDS:
                    # However much there is to tell: who was signed out meanwhile hears nothing more.
                    asked = time.monotonic()
                    if not self._streams.is_signed_in(self._token):
                        yield "event: signed-out\ndata: {}\n\n"
                        return
                yield text
        finally:
            self._streams.leave(self)


def _line(event: Happened) -> str:
    data = json.dumps({"topic": event.topic, "about": str(event.about) if event.about else None})
    return f"id: {event.id}\nevent: change\ndata: {data}\n\n"
