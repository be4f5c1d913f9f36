"""Lap files."""

from typing import Any
from uuid import UUID

from flask import Response
from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed
from fleet_rival.api.blueprint import api, background, sent_file, sessions
from fleet_rival.jobs import kinds
from fleet_rival.services.drive import files, importing, imports

_drive = Tag(name="drive")

_LOOK = s.job_out(kinds.LOOK)
_SEEN: Any = {"200": s.PreviewOut, "202": _LOOK}


@api.post("/combinations/<uuid:combination_id>/lap-files", responses={"201": s.PreviewOut}, tags=[_drive])
@allowed("laps.import")
def upload_laps(path: s.CombinationPath, form: s.FileForm) -> Any:
    """Keep a lap file and look at it, of a large one at its beginning. Nothing is imported yet."""
    name, content = sent_file(form, "laps.csv")
    file_id = files.upload(sessions(), actor(), path.combination_id, name, content)
    view = files.preview(sessions(), actor(), file_id) or files.first_look(sessions(), actor(), file_id)
    return s.validate(s.PreviewOut, view), 201


@api.post("/combinations/<uuid:combination_id>/lap-archives", responses={"201": s.Archive}, tags=[_drive])
@allowed("laps.import")
def upload_archive(path: s.CombinationPath, form: s.FileForm) -> Any:
    """Keep the lap files of a zip, each to be looked at like one that came alone."""
    _, content = sent_file(form, "laps.zip")
    return s.validate(
        s.Archive, {"items": files.upload_archive(sessions(), actor(), path.combination_id, content)}
    ), 201


@api.put("/lap-files/<uuid:file_id>/reading", responses=_SEEN, tags=[_drive])
@allowed("laps.import")
def say_how_read(path: s.LapFilePath, body: s.ReadingChange) -> Any:
    """Say how a file's columns are to be read, and who its drivers are in the team."""
    table = body.table.model_dump() if body.table else None
    files.say_how(sessions(), actor(), path.file_id, table, body.names, confirmed=body.confirmed)
    return _preview(path.file_id, frozenset(), 200)


@api.put(
    "/lap-files/<uuid:file_id>/lines/<int:line>",
    responses=_SEEN,
    tags=[_drive],
)
@allowed("laps.import")
def mend_line(path: s.LinePath, body: s.LineChange) -> Any:
    """Put other cells in the place of a line's own. The file stays as it came."""
    files.mend(sessions(), actor(), path.file_id, path.line, body.cells)
    return _preview(path.file_id, frozenset(), 200)


@api.post("/lap-files/<uuid:file_id>/again", responses={"201": s.PreviewOut, "202": _LOOK}, tags=[_drive])
@allowed("laps.import")
def read_again(path: s.LapFilePath) -> Any:
    """Read a kept file once more, so that what was set aside can go in after all."""
    return _preview(files.again(sessions(), actor(), path.file_id), frozenset(), 201)


@api.get("/lap-files/<uuid:file_id>", responses=_SEEN, tags=[_drive])
@allowed("drive.see")
def preview_laps(path: s.LapFilePath, query: s.PreviewQuery) -> Any:
    """Look at a lap file again, against the laps that are there now; a large one in the background."""
    return _preview(path.file_id, frozenset(query.apart), 200)


def _preview(file_id: UUID, apart: frozenset[str], status: int) -> Any:
    view = files.preview(sessions(), actor(), file_id, apart)
    if view is None:
        return background(
            kinds.LOOK,
            f"Looking at {files.name_of(sessions(), actor(), file_id)}",
            kinds.AskedLook(file_id, tuple(sorted(apart))),
        ), 202
    return s.validate(s.PreviewOut, view), status


@api.post("/lap-files/<uuid:file_id>/import", responses={"202": s.job_out(kinds.IMPORT)}, tags=[_drive])
@allowed("laps.import")
def import_laps(path: s.LapFilePath, body: s.ImportWishes) -> Any:
    """Import a lap file that was looked at: a job, which ends whole or not at all."""
    wishes = importing.Wishes(
        body.revision, frozenset(body.leave_out), body.differences, frozenset(body.apart), frozenset(body.guests)
    )
    name, combination_id = importing.check(sessions(), actor(), path.file_id, wishes)
    named = (tuple(sorted(names)) for names in (body.leave_out, body.apart, body.guests))
    asked = kinds.AskedImport(path.file_id, combination_id, body.revision, body.differences, *named)
    return background(kinds.IMPORT, f"Import of {name}", asked), 202


@api.get("/combinations/<uuid:combination_id>/lap-files", responses={"200": s.Imports}, tags=[_drive])
@allowed("drive.see")
def list_imports(path: s.CombinationPath) -> Any:
    """The files imported into a combination, newest first; a driver's own alone."""
    return s.validate(s.Imports, {"items": imports.imports(sessions(), actor(), path.combination_id)})


@api.delete("/lap-files/<uuid:file_id>", responses={"204": None}, tags=[_drive])
@allowed("laps.import")
def discard_laps(path: s.LapFilePath) -> Any:
    """Forget a lap file that was looked at and not imported."""
    files.discard(sessions(), actor(), path.file_id)
    return "", 204


@api.get(
    "/combinations/<uuid:combination_id>/laps.csv",
    responses={"200": {"content": {"text/csv": {"schema": {"type": "string"}}}}},
    tags=[_drive],
)
@allowed("drive.see")
def export_laps(path: s.CombinationPath) -> Any:
    """All laps of a combination as a lap file; a driver's own alone."""
    response = Response(files.export_laps(sessions(), actor(), path.combination_id), mimetype="text/csv")
    response.headers["Content-Disposition"] = 'attachment; filename="export.laps.csv"'
    return response
