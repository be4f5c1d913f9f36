"""Layouts, and the track book."""

from typing import Any
from urllib.parse import quote

from flask import Response
from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed
from fleet_rival.api.blueprint import api, background, sent_file, sessions, telling_current
from fleet_rival.core.track import BadTrack, Corner, Pit, Sector, Track
from fleet_rival.jobs import kinds
from fleet_rival.services.shared.errors import Refused
from fleet_rival.services.track import book, boundaries, layouts, tracks
from fleet_rival.services.track.boundaries import DraftCorner

_track = Tag(name="track")


@api.get("/layouts", responses={"200": s.Layouts}, tags=[_track])
@allowed("track.see")
def list_layouts() -> Any:
    """All layouts of the team."""
    return s.validate(s.Layouts, {"items": tracks.layouts(sessions(), actor())})


@api.post("/layouts", responses={"200": s.LayoutOut, "201": s.LayoutOut}, tags=[_track])
@allowed("track.add")
def add_layout(form: s.FileForm) -> Any:
    """Take a track file in. The same file twice changes nothing."""
    view = tracks.add_track(sessions(), actor(), sent_file(form, "track.json")[1])
    return s.validate(s.LayoutOut, view), 200 if view.already_there else 201


@api.post("/layouts/by-hand", responses={"201": s.LayoutMade}, tags=[_track])
@allowed("track.add")
def draw_up_layout(body: s.NewLayout) -> Any:
    """Take in a layout from a table of corners."""
    try:
        made = Track(
            body.track.strip(),
            body.layout.strip(),
            body.kind.strip(),
            body.length_m,
            _sectors(body.sectors),
            tuple(_corner(item) for item in body.corners),
            pit=_pit(body.pit),
        )
    except BadTrack as error:
        raise Refused(f"This layout can't be: {error}.") from error
    return s.validate(s.LayoutMade, {"id": layouts.draw_up(sessions(), actor(), made)}), 201


@api.get("/layouts/<uuid:layout_id>", responses={"200": s.BookOut}, tags=[_track])
@allowed("track.see")
def get_book(path: s.LayoutPath, query: s.WithCar) -> Any:
    """A layout with everything that its book holds, seen with one car."""
    return s.validate(s.BookOut, book.book(sessions(), actor(), path.layout_id, query.car))


@api.put("/layouts/<uuid:layout_id>", responses={"200": s.BookOut}, tags=[_track])
@allowed("track.change")
def change_layout(path: s.LayoutPath, header: s.Version, body: s.LayoutChange) -> Any:
    """Change a layout's names and its pit lane, if it is still as it was looked at."""
    values = {**body.model_dump(exclude={"pit"}), "pit": _pit(body.pit)}
    with telling_current(s.BookOut, lambda: book.book(sessions(), actor(), path.layout_id)):
        layouts.change_layout(sessions(), actor(), path.layout_id, header.number, values)
    return s.validate(s.BookOut, book.book(sessions(), actor(), path.layout_id))


@api.delete("/layouts/<uuid:layout_id>", responses={"204": None}, tags=[_track])
@allowed("track.remove")
def remove_layout(path: s.LayoutPath) -> Any:
    """Remove a layout that nothing hangs on."""
    layouts.remove_layout(sessions(), actor(), path.layout_id)
    return "", 204


@api.get("/layouts/<uuid:layout_id>/outline", responses={"200": s.OutlineOut}, tags=[_track])
@allowed("track.see")
def get_outline(path: s.LayoutPath) -> Any:
    """The centreline."""
    return s.validate(s.OutlineOut, layouts.outline(sessions(), actor(), path.layout_id))


@api.get(
    "/layouts/<uuid:layout_id>/track.json", responses={"200": {"content": {"application/json": {}}}}, tags=[_track]
)
@allowed("track.see")
def export_layout(path: s.LayoutPath) -> Any:
    """The layout as a track file."""
    name, content = layouts.export(sessions(), actor(), path.layout_id)
    # A name in any script; what a header can't hold goes as its code.
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}"}
    return Response(content, mimetype="application/json", headers=headers)


@api.post("/layouts/<uuid:layout_id>/derive", responses={"201": s.LayoutMade}, tags=[_track])
@allowed("track.add")
def derive_layout(path: s.LayoutPath, body: s.Derivation) -> Any:
    """Make the layout turned round, or a shorter one."""
    stretch = (body.from_m, body.to_m) if body.from_m is not None and body.to_m is not None else None
    made = layouts.derive(sessions(), actor(), path.layout_id, body.how, body.layout, stretch, body.link_m)
    return s.validate(s.LayoutMade, {"id": made}), 201


@api.post("/layouts/<uuid:layout_id>/boundaries/look", responses={"200": s.ConsequencesOut}, tags=[_track])
@allowed("track.boundaries")
def look_at_boundaries(path: s.LayoutPath, body: s.Boundaries) -> Any:
    """What other boundaries would do to laps, without doing it."""
    drafts = [DraftCorner(item.id, _corner(item)) for item in body.corners]
    return s.validate(
        s.ConsequencesOut,
        boundaries.look_at_boundaries(sessions(), actor(), path.layout_id, _sectors(body.sectors), drafts),
    )


@api.post("/layouts/<uuid:layout_id>/boundaries", responses={"202": s.job_out(kinds.BOUNDARIES)}, tags=[_track])
@allowed("track.boundaries")
def change_boundaries(path: s.LayoutPath, header: s.Version, body: s.Boundaries) -> Any:
    """Give a layout other boundaries, in the background; laps keep what stays exact and lose the rest."""
    drafts = tuple(DraftCorner(item.id, _corner(item)) for item in body.corners)
    sectors = tuple(_sectors(body.sectors))
    # What can't be is refused at once, not in the background.
    boundaries.look_at_boundaries(sessions(), actor(), path.layout_id, sectors, drafts)
    asked = kinds.AskedBoundaries(path.layout_id, header.number, sectors, drafts)
    return background(kinds.BOUNDARIES, "Other boundaries", asked), 202


@api.get("/layouts/<uuid:layout_id>/card", responses={"200": s.CardOut}, tags=[_track])
@allowed("track.see")
def get_card(path: s.LayoutPath, query: s.OfCard) -> Any:
    """A lap as a script."""
    return s.validate(
        s.CardOut, book.reading_card(sessions(), actor(), path.layout_id, query.car, query.driver, query.variant)
    )


@api.put("/corners/<uuid:corner_id>", responses={"204": None}, tags=[_track])
@allowed("corner.change")
def change_corner(path: s.CornerPath, header: s.Version, body: s.CornerChange) -> Any:
    """Write what is known of a corner, if it is still as it was looked at."""
    with telling_current(s.CornerOut, lambda: book.corner(sessions(), actor(), path.corner_id)):
        book.change_corner(sessions(), actor(), path.corner_id, header.number, body.model_dump(exclude_unset=True))
    return "", 204


@api.post("/corners/<uuid:corner_id>/references", responses={"201": s.ReferenceMade}, tags=[_track])
@allowed("reference.propose")
def propose_reference(path: s.CornerPath, body: s.NewReference) -> Any:
    """Put a reference beside those that are there; a driver's is a proposal."""
    confirmed = body.confirmed and actor().sees_all
    made = book.propose(
        sessions(), actor(), path.corner_id, body.model_dump(exclude={"confirmed"}), confirmed=confirmed
    )
    return s.validate(s.ReferenceMade, {"id": made}), 201


@api.put("/references/<uuid:reference_id>", responses={"204": None}, tags=[_track])
@allowed("reference.change")
def change_reference(path: s.ReferencePath, header: s.Version, body: s.ReferenceChange) -> Any:
    """Write a reference anew; a driver the own proposals alone."""
    with telling_current(s.ReferenceOut, lambda: book.reference(sessions(), actor(), path.reference_id)):
        book.change_reference(sessions(), actor(), path.reference_id, header.number, body.model_dump())
    return "", 204


@api.delete("/references/<uuid:reference_id>", responses={"204": None}, tags=[_track])
@allowed("reference.remove")
def remove_reference(path: s.ReferencePath) -> Any:
    """Remove a reference that was a mistake; a driver an own proposal alone."""
    book.remove_reference(sessions(), actor(), path.reference_id)
    return "", 204


@api.post("/references/<uuid:reference_id>/confirm", responses={"204": None}, tags=[_track])
@allowed("reference.confirm")
def confirm_reference(path: s.ReferencePath) -> Any:
    """Have a reference stand."""
    book.confirm(sessions(), actor(), path.reference_id)
    return "", 204


@api.post("/references/<uuid:reference_id>/decline", responses={"204": None}, tags=[_track])
@allowed("reference.decline")
def decline_reference(path: s.ReferencePath) -> Any:
    """Say that a reference doesn't stand."""
    book.decline(sessions(), actor(), path.reference_id)
    return "", 204


@api.post("/references/<uuid:reference_id>/carry", responses={"201": s.ReferenceMade}, tags=[_track])
@allowed("reference.carry")
def carry_reference(path: s.ReferencePath, body: s.Carried) -> Any:
    """Take another car's numbers over as they are."""
    return s.validate(
        s.ReferenceMade, {"id": book.carry_over(sessions(), actor(), path.reference_id, body.car_id)}
    ), 201


@api.post("/references/<uuid:reference_id>/picture", responses={"204": None}, tags=[_track])
@allowed("reference.picture")
def put_picture(path: s.ReferencePath, form: s.FileForm) -> Any:
    """Attach a picture; it is made anew, without what else the file holds."""
    book.put_picture(sessions(), actor(), path.reference_id, sent_file(form, "picture")[1])
    return "", 204


@api.delete("/references/<uuid:reference_id>/picture", responses={"204": None}, tags=[_track])
@allowed("reference.picture")
def remove_picture(path: s.ReferencePath) -> Any:
    """Take the picture off a reference."""
    book.remove_picture(sessions(), actor(), path.reference_id)
    return "", 204


@api.get("/pictures/<uuid:picture_id>.jpg", responses={"200": {"content": {"image/jpeg": {}}}}, tags=[_track])
@allowed("track.see")
def get_picture(path: s.PicturePath) -> Any:
    """A picture; it never changes under its address."""
    headers = {"Cache-Control": "private, max-age=31536000, immutable"}
    return Response(book.picture(sessions(), actor(), path.picture_id), mimetype="image/jpeg", headers=headers)


@api.post("/layouts/<uuid:layout_id>/questions", responses={"201": s.ReferenceMade}, tags=[_track])
@allowed("question.ask")
def ask_question(path: s.LayoutPath, body: s.NewQuestion) -> Any:
    """Ask something about a corner, or the whole layout."""
    return s.validate(
        s.ReferenceMade, {"id": book.ask(sessions(), actor(), path.layout_id, body.corner_id, body.text)}
    ), 201


@api.put("/questions/<uuid:question_id>", responses={"204": None}, tags=[_track])
@allowed("question.answer")
def answer_question(path: s.QuestionPath, header: s.Version, body: s.QuestionAnswer) -> Any:
    """Answer a question, if nobody did meanwhile."""
    book.answer_question(sessions(), actor(), path.question_id, header.number, body.answer)
    return "", 204


@api.post("/questions/<uuid:question_id>/close", responses={"204": None}, tags=[_track])
@allowed("question.close")
def close_question(path: s.QuestionPath, header: s.Version, body: s.QuestionClosing) -> Any:
    """Close a question; its answer may become a note or a reference."""
    reference = body.reference.model_dump() if body.reference else None
    book.close_question(sessions(), actor(), path.question_id, header.number, body.became, reference)
    return "", 204


@api.delete("/questions/<uuid:question_id>", responses={"204": None}, tags=[_track])
@allowed("question.remove")
def remove_question(path: s.QuestionPath) -> Any:
    """Remove a question; a driver an own one that nobody has answered."""
    book.remove_question(sessions(), actor(), path.question_id)
    return "", 204


def _sectors(items: list[s.SectorPart]) -> tuple[Sector, ...]:
    return tuple(Sector(item.code, item.start_m) for item in items)


def _corner(item: s.CornerPart) -> Corner:
    return Corner(**item.model_dump(exclude={"id"}))


def _pit(item: s.PitLane | None) -> Pit | None:
    return Pit(**item.model_dump()) if item else None
