"""Telemetry files in pieces (the tus protocol, version 1.0.0), traces, and layouts found from them."""

import base64
import binascii
from typing import Any
from uuid import UUID

from flask import Response, request
from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed
from fleet_rival.api.blueprint import api, background, download, sessions
from fleet_rival.api.incoming import file_label
from fleet_rival.api.problems import problem
from fleet_rival.jobs import kinds
from fleet_rival.services.drive.traces import deriving, imports, passes, take, uploads, view
from fleet_rival.services.shared import space
from fleet_rival.services.shared.errors import Refused

_telemetry = Tag(name="telemetry")
_PARQUET: Any = {
    "200": {"content": {"application/vnd.apache.parquet": {"schema": {"type": "string", "format": "binary"}}}}
}
_TUS = {"Tus-Resumable": "1.0.0", "Cache-Control": "no-store"}
_OCTETS = "application/offset+octet-stream"
_NOTHING: Any = {"204": None}


def _tus(response: Response) -> Response:
    for name, value in _TUS.items():
        response.headers[name] = value
    return response


def _other_version() -> Response | None:
    if request.headers.get("Tus-Resumable") == _TUS["Tus-Resumable"]:
        return None
    refused = problem(412, "tus-version", "Another protocol", "Uploads are taken by tus, version 1.0.0.")
    refused.headers["Tus-Version"] = _TUS["Tus-Resumable"]
    return refused


def _number(header: str) -> int:
    told = request.headers.get(header, "")
    if not (told.isdecimal() and told.isascii() and len(told) < 16):
        raise Refused(f"The header {header} must be a whole number.")
    return int(told)


def _metadata() -> dict[str, str]:
    """What the sender says of the file: names, and values in Base64."""
    out = {}
    for pair in request.headers.get("Upload-Metadata", "").split(","):
        name, _, value = pair.strip().partition(" ")
        try:
            out[name] = base64.b64decode(value, validate=True).decode("utf-8")
        except (binascii.Error, UnicodeDecodeError, ValueError) as error:
            raise Refused(f"The value of {name} in Upload-Metadata isn't Base64 of UTF-8.") from error
    return out


@api.get("/space", responses={"200": s.SpaceOut}, tags=[_telemetry])
@allowed("drive.see")
def show_space() -> Any:
    """How much room the team and the person use on the disk, and how much they may."""
    return s.validate(s.SpaceOut, space.space(sessions(), actor()))


@api.post("/uploads", responses={"201": None}, tags=[_telemetry])
@allowed("telemetry.import")
def begin_upload() -> Any:
    """Make room for a telemetry file (tus: creation). `Upload-Metadata` may name `filename` and `combination`."""
    if (refused := _other_version()) is not None:
        return refused
    told = _metadata()
    try:
        combination = UUID(told["combination"]) if told.get("combination") else None
    except ValueError as error:
        raise Refused("The combination in Upload-Metadata is no id.") from error
    made = uploads.begin_upload(
        sessions(),
        actor(),
        combination,
        file_label(told.get("filename") or "") or "telemetry",
        _number("Upload-Length"),
    )
    response = _tus(Response(status=201))
    response.headers["Location"] = f"/api/uploads/{made.id}"
    return response


@api.get("/uploads/<uuid:upload_id>", responses={"200": s.UploadOut}, tags=[_telemetry])
@allowed("drive.see")
def show_upload(path: s.UploadPath) -> Any:
    """How far a file has come (tus: HEAD), and what became of it."""
    found = uploads.upload(sessions(), actor(), path.upload_id)
    headers = {"Upload-Offset": str(found.received), "Upload-Length": str(found.size), **_TUS}
    return s.validate(s.UploadOut, found), 200, headers


@api.patch("/uploads/<uuid:upload_id>", responses=_NOTHING, tags=[_telemetry])
@allowed("telemetry.import")
def add_piece(path: s.UploadPath) -> Any:
    """The next bytes of a file, from `Upload-Offset` on; what comes before a break is kept."""
    if (refused := _other_version()) is not None:
        return refused
    if request.mimetype != _OCTETS:
        return problem(415, "not-octets", "Not bytes", f"Pieces come as {_OCTETS}.")
    made = uploads.add_piece(sessions(), actor(), path.upload_id, _number("Upload-Offset"), request.stream.read)
    response = _tus(Response(status=204))
    response.headers["Upload-Offset"] = str(made.received)
    return response


@api.delete("/uploads/<uuid:upload_id>", responses=_NOTHING, tags=[_telemetry])
@allowed("telemetry.import")
def discard_upload(path: s.UploadPath) -> Any:
    """Forget a file (tus: termination). Traces that were read from it stay."""
    uploads.discard_upload(sessions(), actor(), path.upload_id)
    return _tus(Response(status=204))


@api.get("/combinations/<uuid:combination_id>/uploads", responses={"200": s.Uploads}, tags=[_telemetry])
@allowed("drive.see")
def list_uploads(path: s.CombinationPath) -> Any:
    """A combination's telemetry files, newest first."""
    return s.validate(s.Uploads, {"items": uploads.uploads(sessions(), actor(), path.combination_id)})


@api.post("/uploads/<uuid:upload_id>/reading", responses={"202": s.job_out(kinds.TELEMETRY)}, tags=[_telemetry])
@allowed("telemetry.import")
def read_upload(path: s.UploadPath, body: s.UploadReading) -> Any:
    """Read a telemetry file: a job. Again with names, where it held drivers that the team doesn't know by these."""
    name, combination = imports.say_who(sessions(), actor(), path.upload_id, body.names, body.combination_id)
    asked = kinds.AskedTelemetry(path.upload_id, combination)
    return background(kinds.TELEMETRY, f"Telemetry of {name}", asked), 202


@api.post("/uploads/<uuid:upload_id>/layout", responses={"202": s.job_out(kinds.FIND_LAYOUT)}, tags=[_telemetry])
@allowed("track.add")
def find_layout(path: s.UploadPath) -> Any:
    """Find the layout that a file was driven on: a job; the upload holds what was found."""
    name = uploads.upload(sessions(), actor(), path.upload_id).name
    return background(kinds.FIND_LAYOUT, f"Layout from {name}", kinds.AskedUpload(path.upload_id)), 202


@api.get("/layouts/<uuid:layout_id>/found", responses={"200": s.FoundLayoutOut}, tags=[_telemetry])
@allowed("track.boundaries")
def find_layout_anew(path: s.LayoutPath) -> Any:
    """What the traces driven on a layout say of it."""
    return s.validate(s.FoundLayoutOut, deriving.found_from_laps(sessions(), actor(), path.layout_id))


@api.get("/combinations/<uuid:combination_id>/traces", responses={"200": s.TracedLaps}, tags=[_telemetry])
@allowed("drive.see")
def list_traces(path: s.CombinationPath) -> Any:
    """Laps that have traces; a driver's own alone."""
    return s.validate(s.TracedLaps, {"items": view.traced_laps(sessions(), actor(), path.combination_id)})


@api.get("/combinations/<uuid:combination_id>/traces/passes", responses={"200": s.PassesOut}, tags=[_telemetry])
@allowed("drive.see")
def get_passes(path: s.CombinationPath, query: s.PassesQuery) -> Any:
    """What laps did on their way through one part: brake, slowest place, throttle."""
    return s.validate(
        s.PassesOut, {"items": passes.passes(sessions(), actor(), path.combination_id, query.lap, query.part)}
    )


@api.get("/combinations/<uuid:combination_id>/traces/overlay", responses={"200": s.OverlayOut}, tags=[_telemetry])
@allowed("drive.see")
def overlay_traces(path: s.CombinationPath, query: s.OverlayQuery) -> Any:
    """Laps over each other in one channel, and how far each has fallen behind the first."""
    found = view.overlay(
        sessions(), actor(), path.combination_id, query.lap, query.channel, query.start_m, query.end_m, query.points
    )
    return s.validate(s.OverlayOut, found)


@api.get("/combinations/<uuid:combination_id>/traces.parquet", responses=_PARQUET, tags=[_telemetry])
@allowed("drive.see")
def take_traces(path: s.CombinationPath, query: s.TakeTracesQuery) -> Any:
    """Traces of chosen laps as they were recorded, as a telemetry file."""
    body = take.traces_parquet(sessions(), actor(), path.combination_id, query.lap)
    return download(body, "application/vnd.apache.parquet", "laps.telemetry.parquet")
