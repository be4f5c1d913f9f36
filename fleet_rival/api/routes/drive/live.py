"""What others change, while it happens; and what rigs deliver."""

import hashlib
import json
import threading
import time
import zlib
from collections.abc import Callable
from typing import Any, Final

import orjson
from flask import Response, current_app, request, stream_with_context
from flask_openapi3 import Tag
from pydantic import ValidationError

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed, token
from fleet_rival.api.blueprint import api, kept, sessions
from fleet_rival.api.problems import problem
from fleet_rival.api.streams import Streams, for_actor
from fleet_rival.db.events import events_after, is_gone, last_event
from fleet_rival.jobs.messages import tell_feed
from fleet_rival.services.drive import feed, watching
from fleet_rival.services.drive.brief import brief
from fleet_rival.services.drive.feed import Line
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import Refused

_live = Tag(name="live")
_MOST_LINES: Final = 2000
_MOST_BYTES: Final = 32_000_000
_ASK_EVERY_SECONDS: Final = 0.5
_places = threading.BoundedSemaphore(6)
"""Deliveries that are taken at once; the other threads are for people."""
_shared: dict[tuple[int, int | None], "_Shared"] = {}
_full: dict[int, tuple[float, bool]] = {}
_STREAM: Any = {"200": {"content": {"text/event-stream": {"schema": {"type": "string"}}}}, "503": s.Problem}


@api.get("/events/stream", responses=_STREAM, tags=[_live])
@allowed("drive.see")
def stream_events(query: s.EventsQuery) -> Any:
    """That something changed, as Server-Sent Events; resumed by `Last-Event-ID`. Where all places are taken: ask
    `/events`.
    """
    streams: Streams = current_app.extensions["streams"]
    named = request.headers.get("Last-Event-ID", "")
    after = int(named) if named.isdecimal() and len(named) < 19 else query.after
    stream = streams.open(actor(), token() or "", after)
    if stream is None:
        response = problem(
            503, "no-place", "No place left", "All live connections are taken; the page asks every few seconds instead."
        )
        response.headers["Retry-After"] = "30"
        return response
    headers = {"Cache-Control": "no-store", "X-Accel-Buffering": "no"}
    return Response(stream_with_context(stream), mimetype="text/event-stream", headers=headers)


@api.get("/events", responses={"200": s.EventsOut}, tags=[_live])
@allowed("drive.see")
def list_events(query: s.EventsQuery) -> Any:
    """The same by asking: what changed after an event."""
    with sessions()() as session:
        last = last_event(session)
        after = last if query.after is None else query.after
        items = for_actor(events_after(session, after), actor())
        missed = is_gone(session, after)
    shown = [{"id": event.id, "topic": event.topic, "about": event.about} for event in items]
    return s.validate(s.EventsOut, {"last": last, "missed": missed, "items": shown})


@api.get("/live", responses={"200": s.LiveOut}, tags=[_live])
@allowed("drive.see")
def show_live() -> Any:
    """Who drives now: each driver's run, against its purpose and its pass mark; a driver's own alone."""
    body = _seen_by(actor()).get(lambda: orjson.dumps(s.validate(s.LiveOut, watching.driving_now(sessions(), actor()))))
    return kept(body, hashlib.sha256(body).hexdigest())


class _Shared:
    """An answer that many ask for at once while it changes all the time: who waits for one that was begun after they
    came takes it too.
    """

    def __init__(self) -> None:
        self._making = threading.Lock()
        self._begun = -1.0
        self._body = b""

    def get(self, make: Callable[[], bytes]) -> bytes:
        came = time.monotonic()
        with self._making:
            if self._begun < came:
                begun = time.monotonic()
                self._body, self._begun = make(), begun
            return self._body


def _seen_by(who: Actor) -> _Shared:
    return _shared.setdefault((who.team_id, None if who.sees_all else who.driver_id or 0), _Shared())


@api.get("/live/troubles", responses={"200": s.Troubles}, tags=[_live])
@allowed("laps.deliver")
def list_troubles() -> Any:
    """What rigs sent and can't be taken, and why."""
    return s.validate(s.Troubles, {"items": feed.troubles(sessions(), actor())})


@api.post("/live/troubles/again", responses={"200": s.TakenAgain}, tags=[_live])
@allowed("laps.deliver")
def take_again() -> Any:
    """Have what was refused tried once more, after what was missing is there."""
    lines = feed.take_again(sessions(), actor())
    tell_feed()
    return s.validate(s.TakenAgain, {"lines": lines})


@api.get("/rig/brief", responses={"200": s.BriefOut}, tags=[_live])
@allowed("rig")
def show_brief(query: s.BriefQuery) -> Any:
    """What a rig has to know before a driver drives: car, track file, conditions, and what was declared of the run."""
    found = brief(sessions(), actor(), query.driver)
    values = {
        "driver": found.driver,
        "car": found.car,
        "track": json.loads(found.track),
        "conditions": found.conditions,
        "declared": found.declared,
    }
    return s.validate(s.BriefOut, values)


@api.post("/rig/feed", responses={"200": s.FedOut, "429": s.Problem}, tags=[_live])
@allowed("rig")
def take_feed() -> Any:
    """Laps and samples as they are driven: JSON lines, gzip if wished. What this answer counts as taken is written down
    and never lost; the same key twice changes nothing. Under load: 429, and when to come back."""
    if not _places.acquire(blocking=False):
        return _later(1)
    try:
        if _is_full():
            return _later(5)
        lines, refused = _lines()
        done = feed.accept(sessions(), actor(), lines)
    finally:
        _places.release()
    if done.new:
        tell_feed()
    return s.validate(s.FedOut, {"taken": done.new, "again": done.again, "refused": refused})


def _later(seconds: int) -> Response:
    response = problem(
        429, "busy", "Too much at once", f"More comes than can be taken. Send it again in {seconds} s; nothing is lost."
    )
    response.headers["Retry-After"] = str(seconds)
    return response


def _lines() -> tuple[list[Line], list[dict[str, Any]]]:
    lines, refused = [], []
    for number, text in enumerate(_body().splitlines(), 1):
        if not text.strip():
            continue
        if number > _MOST_LINES:
            refused.append(
                {
                    "line": number,
                    "reason": f"{_MOST_LINES} lines are taken at once; send this one and those behind it again",
                }
            )
            break
        try:
            lines.append(s.fed_line(text))
        except ValueError as error:
            first = error.errors()[0] if isinstance(error, ValidationError) else {"loc": (), "msg": "isn't JSON"}
            refused.append(
                {"line": number, "reason": f"{'.'.join(map(str, first['loc'])) or 'the line'}: {first['msg']}"[:300]}
            )
    return lines, refused


def _body() -> bytes:
    """The lines, unpacked; no more of them than may be taken.

    Raises:
        Refused: not gzip although it says so, or too much.
    """
    unpack = zlib.decompressobj(31) if request.headers.get("Content-Encoding") == "gzip" else None
    out = bytearray()
    try:
        while block := request.stream.read(1 << 16):
            out += unpack.decompress(block, _MOST_BYTES + 1 - len(out)) if unpack is not None else block
            if len(out) > _MOST_BYTES:
                raise Refused(f"Send at most {_MOST_BYTES // 1_000_000} MB at once.")
    except zlib.error as error:
        raise Refused("This says that it is gzip, and isn't.") from error
    return bytes(out)


def _is_full() -> bool:
    """Asked twice a second at most for each team: counting costs as much as taking."""
    moment, team = time.monotonic(), actor().team_id
    asked_at, full = _full.get(team, (0.0, False))
    if moment - asked_at > _ASK_EVERY_SECONDS:
        full = feed.is_full(sessions(), actor())
        _full[team] = (moment, full)
    return full
