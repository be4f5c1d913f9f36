"""What others change, while it happens; and what rigs deliver."""

from typing import Any

from flask import Response, current_app, request, stream_with_context
from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed, token
from fleet_rival.api.blueprint import api, sessions
from fleet_rival.api.problems import problem
from fleet_rival.api.streams import Streams, for_actor
from fleet_rival.core.laps.lap import Lap
from fleet_rival.db.events import events_after, is_gone, last_event
from fleet_rival.services import live

_live = Tag(name="live")
_STREAM: Any = {"200": {"content": {"text/event-stream": {"schema": {"type": "string"}}}}, "503": s.Problem}


@api.get("/events/stream", responses=_STREAM, tags=[_live])
@allowed("manager", "coach", "driver")
def stream_events(query: s.EventsQuery) -> Any:
    """That something changed, as Server-Sent Events; resumed by `Last-Event-ID`. Where all places are taken: ask `/events`."""
    streams: Streams = current_app.extensions["streams"]
    named = request.headers.get("Last-Event-ID", "")
    after = int(named) if named.isdecimal() and len(named) < 19 else query.after
    stream = streams.open(actor(), token() or "", after)
    if stream is None:
        response = problem(503, "no-place", "No place left", "All live connections are taken; the page asks every few seconds instead.")
        response.headers["Retry-After"] = "30"
        return response
    headers = {"Cache-Control": "no-store", "X-Accel-Buffering": "no"}
    return Response(stream_with_context(stream), mimetype="text/event-stream", headers=headers)


@api.get("/events", responses={"200": s.EventsOut}, tags=[_live])
@allowed("manager", "coach", "driver")
def list_events(query: s.EventsQuery) -> Any:
    """The same by asking: what changed after an event."""
    with sessions()() as session:
        last = last_event(session)
        after = last if query.after is None else query.after
        items = for_actor(events_after(session, after), actor())
        missed = is_gone(session, after)
    shown = [{"id": event.id, "topic": event.topic, "about": event.about} for event in items]
    return s.validate(s.EventsOut, {"last": last, "missed": missed, "items": shown})


@api.post("/rig/laps", responses={"200": s.DeliveredOut}, tags=[_live])
@allowed("rig")
def deliver_laps(body: s.DeliveryIn) -> Any:
    """Deliver laps as they are driven; the same laps twice change nothing."""
    laps = tuple(Lap(driver=body.driver, session=body.session, number=lap.lap, **lap.model_dump(exclude={"lap"})) for lap in body.laps)
    delivery = live.Delivery(body.track, body.layout, body.car, body.driver, body.session, laps, body.session_local)
    return s.validate(s.DeliveredOut, live.deliver(sessions(), actor(), delivery))
