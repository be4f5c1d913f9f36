"""The week board."""

from contextlib import suppress
from typing import Any

from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed
from fleet_rival.api.blueprint import api, background, kept, sessions
from fleet_rival.clock import now
from fleet_rival.core.season.zones import known_zone
from fleet_rival.jobs import kinds
from fleet_rival.services import board
from fleet_rival.services.shared.errors import Conflict

_board = Tag(name="board")


@api.get("/board", responses={"200": s.BoardOut}, tags=[_board])
@allowed("week.see")
def get_board(query: s.BoardQuery) -> Any:
    """What is on, where each driver stands, what needs somebody; a driver sees the own row."""
    found = board.board(sessions(), actor(), query.day, known_zone(query.zone), now)
    if found.behind:
        # Where it is under way already, that is the one.
        with suppress(Conflict):
            background(kinds.STANDING, "Working out where everybody stands", kinds.AskedDay(query.day))
    return kept(found.body, found.stamp)


@api.post("/board/visit", responses={"200": s.VisitOut}, tags=[_board])
@allowed("week.see")
def visit_board() -> Any:
    """Note that somebody looks, and say when they looked last: what changed since is marked."""
    return s.validate(s.VisitOut, {"before_at": board.visit(sessions(), actor())})


@api.get("/entries/<uuid:entered_id>/starts", responses={"200": s.StartChoices}, tags=[_board])
@allowed("week.see")
def list_starts(path: s.EntryIdPath) -> Any:
    """The starts that an entry may choose from, and which of them fit; a driver's own."""
    return s.validate(s.StartChoices, {"items": board.start_choices(sessions(), actor(), path.entered_id)})
