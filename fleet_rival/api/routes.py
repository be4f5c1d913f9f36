"""The routes: read the request, call one service, write the answer."""

from typing import Any

from flask import Response, current_app, request
from flask_openapi3 import APIBlueprint, Tag
from sqlalchemy.orm import Session, sessionmaker

import fleet_rival
from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor
from fleet_rival.services import drive, find, imports, team, track, week

__all__ = ["api"]

_problem = {"content": {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}}
_errors: Any = {str(status): _problem for status in (403, 404, 409, 413, 421, 422)}
api = APIBlueprint("api", __name__, url_prefix="/api", abp_responses=_errors)
_week, _track, _drive, _find, _team = (Tag(name=name) for name in ("week", "track", "drive", "find", "team"))


def sessions() -> sessionmaker[Session]:
    made: sessionmaker[Session] = current_app.extensions["sessions"]
    return made


@api.get("/health", responses={"200": s.Health}, tags=[_team])
def health() -> Any:
    """Whether the server answers."""
    return s.validate(s.Health, {"status": "ok", "version": fleet_rival.__version__})


@api.get("/me", responses={"200": s.Me}, tags=[_team])
def me() -> Any:
    """Who acts, and for which team."""
    return s.validate(s.Me, team.team_of(sessions(), actor()))


@api.get("/layouts", responses={"200": s.Layouts}, tags=[_track])
def list_layouts() -> Any:
    """All layouts of the team."""
    return s.validate(s.Layouts, {"items": track.layouts(sessions(), actor())})


@api.post("/layouts", responses={"200": s.LayoutOut, "201": s.LayoutOut}, tags=[_track])
def add_layout(form: s.FileForm) -> Any:
    """Take a track file in. The same file twice changes nothing."""
    view = track.add_track(sessions(), actor(), form.file.read())
    return s.validate(s.LayoutOut, view), 200 if view.already_there else 201


@api.get("/combinations", responses={"200": s.Combinations}, tags=[_week])
def list_combinations() -> Any:
    """All combinations of the team, newest first."""
    return s.validate(s.Combinations, {"items": week.combinations(sessions(), actor())})


@api.post("/combinations", responses={"201": s.CombinationOut}, tags=[_week])
def add_combination(body: s.NewCombination) -> Any:
    """Make a combination of a layout and a car."""
    return s.validate(s.CombinationOut, week.add_combination(sessions(), actor(), body.layout_id, body.car)), 201


@api.get("/combinations/<uuid:combination_id>", responses={"200": s.CombinationOut}, tags=[_week])
def get_combination(path: s.CombinationPath) -> Any:
    """One combination and the drivers with laps in it."""
    return s.validate(s.CombinationOut, week.combination(sessions(), actor(), path.combination_id))


@api.post("/combinations/<uuid:combination_id>/lap-files", responses={"201": s.PreviewOut}, tags=[_drive])
def upload_laps(path: s.CombinationPath, form: s.FileForm) -> Any:
    """Keep a lap file and look at it. Nothing is imported yet."""
    name = (form.file.filename or "laps.csv").replace("\\", "/").rsplit("/", 1)[-1]
    return s.validate(s.PreviewOut, drive.upload(sessions(), actor(), path.combination_id, name, form.file.read())), 201


@api.get("/lap-files/<uuid:file_id>", responses={"200": s.PreviewOut}, tags=[_drive])
def preview_laps(path: s.LapFilePath, query: s.PreviewQuery) -> Any:
    """Look at a lap file again, against the laps that are there now."""
    return s.validate(s.PreviewOut, drive.preview(sessions(), actor(), path.file_id, frozenset(query.apart)))


@api.post("/lap-files/<uuid:file_id>/import", responses={"200": s.ImportResultOut}, tags=[_drive])
def import_laps(path: s.LapFilePath, body: s.ImportWishes) -> Any:
    """Import a lap file that was looked at, in one transaction."""
    wishes = drive.Wishes(body.revision, frozenset(body.leave_out), body.differences, frozenset(body.apart))
    return s.validate(s.ImportResultOut, drive.confirm(sessions(), actor(), path.file_id, wishes))


@api.get("/combinations/<uuid:combination_id>/lap-files", responses={"200": s.Imports}, tags=[_drive])
def list_imports(path: s.CombinationPath) -> Any:
    """The files imported into a combination, newest first."""
    return s.validate(s.Imports, {"items": imports.imports(sessions(), actor(), path.combination_id)})


@api.post("/lap-files/<uuid:file_id>/take-back", responses={"200": s.TakenBackOut}, tags=[_drive])
def take_back_import(path: s.LapFilePath) -> Any:
    """Take an import back as a whole."""
    return s.validate(s.TakenBackOut, imports.take_back(sessions(), actor(), path.file_id))


@api.delete("/lap-files/<uuid:file_id>", responses={"204": None}, tags=[_drive])
def discard_laps(path: s.LapFilePath) -> Any:
    """Forget a lap file that was looked at and not imported."""
    drive.discard(sessions(), actor(), path.file_id)
    return "", 204


@api.get("/combinations/<uuid:combination_id>/laps.csv", responses={"200": {"content": {"text/csv": {"schema": {"type": "string"}}}}}, tags=[_drive])
def export_laps(path: s.CombinationPath) -> Any:
    """All laps of a combination as a lap file."""
    response = Response(drive.export_laps(sessions(), actor(), path.combination_id), mimetype="text/csv")
    response.headers["Content-Disposition"] = 'attachment; filename="export.laps.csv"'
    return response


@api.get("/combinations/<uuid:combination_id>/analysis", responses={"200": s.AnalysisOut}, tags=[_find])
def get_analysis(path: s.CombinationPath) -> Any:
    """All drivers' figures and ladders."""
    return _kept(*find.summary(sessions(), actor(), path.combination_id))


@api.get("/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/laps", responses={"200": s.DriverLaps}, tags=[_find])
def get_driver_laps(path: s.DriverPath) -> Any:
    """One driver's laps with marks, times and losses by part."""
    return _kept(*find.driver_laps(sessions(), actor(), path.combination_id, path.driver_id))


def _kept(body: bytes, stamp: str) -> Response:
    """An answer that was kept as JSON; the browser asks again only whether it changed."""
    headers = {"ETag": f'"{stamp}"', "Cache-Control": "private, no-cache"}
    if request.if_none_match.contains_weak(stamp):
        return Response(status=304, headers=headers)
    return Response(body, mimetype="application/json", headers=headers)
