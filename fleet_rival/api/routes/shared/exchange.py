"""A team's data out and in: exchange packages, and what belongs to who leaves."""

import tempfile
from typing import IO, Any

from flask import Response, send_file
from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed
from fleet_rival.api.blueprint import api, background, download, sessions
from fleet_rival.jobs import kinds
from fleet_rival.services.drive.traces import uploads
from fleet_rival.services.exchange import packages
from fleet_rival.services.exchange.export import export_driver
from fleet_rival.services.exchange.leave import make_nameless
from fleet_rival.services.exchange.lists import list_csv, list_xlsx

_exchange = Tag(name="exchange")
_ZIP: Any = {"200": {"content": {"application/zip": {"schema": {"type": "string", "format": "binary"}}}}}
_XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
_LIST: Any = {"200": {"content": {kind: {"schema": {"type": "string"}} for kind in ("text/csv", _XLSX)}}}
_IN_MEMORY = 16_000_000


@api.post("/team/packages", responses={"202": s.job_out(kinds.PACKAGE)}, tags=[_exchange])
@allowed("team.package")
def make_package(body: s.PackageWish) -> Any:
    """The team's data as an exchange package, or what belongs to some weeks: a job."""
    asked = kinds.AskedPackage(None if body.weeks is None else tuple(body.weeks), body.telemetry)
    return background(kinds.PACKAGE, "The team’s data as a package", asked), 202


@api.get("/team/packages/<uuid:job_id>", responses=_ZIP, tags=[_exchange])
@allowed("team.package")
def get_package(path: s.JobPath) -> Response:
    """A package that such a job made; kept for a day."""
    name, file = packages.package_file(sessions(), actor(), path.job_id)
    return _sent(name, file)


@api.post("/uploads/<uuid:upload_id>/team", responses={"202": s.job_out(kinds.BRING)}, tags=[_exchange])
@allowed("team.bring")
def bring_package(path: s.UploadPath) -> Any:
    """Make another team from a package that was sent: a job. Whoever brings it manages it."""
    name = uploads.upload(sessions(), actor(), path.upload_id).name
    return background(kinds.BRING, f"A team from {name}", kinds.AskedUpload(path.upload_id)), 202


@api.post("/team/brought/<uuid:job_id>/ways", responses={"200": s.WaysInOut}, tags=[_exchange])
@allowed("team.bring")
def let_newcomers_in(path: s.JobPath) -> Any:
    """Ways in for people who came with a team and weren't known here; each is shown once."""
    return s.validate(s.WaysInOut, {"items": packages.ways_in(sessions(), actor(), path.job_id)})


@api.get("/drivers/<uuid:driver_id>/data.zip", responses=_ZIP, tags=[_exchange])
@allowed("exchange.take")
def get_driver_data(path: s.OfDriver) -> Response:
    """What is kept of one driver, to take along; a driver's own."""
    # A large one lies on disk while it is sent.
    file: IO[bytes] = tempfile.SpooledTemporaryFile(_IN_MEMORY)  # noqa: SIM115 - closed with the answer
    try:
        export_driver(sessions(), actor(), file, path.driver_id, telemetry=True)
        file.seek(0)
    except BaseException:
        file.close()
        raise
    return _sent("own-data.package.zip", file)


@api.get("/lists/<string:listed>.<string:form>", responses=_LIST, tags=[_exchange])
@allowed("exchange.take")
def get_list(path: s.ListPath) -> Response:
    """A list in words, for a spreadsheet; a driver's own rows."""
    make = list_csv if path.form == "csv" else list_xlsx
    return download(
        make(sessions(), actor(), path.listed),
        "text/csv" if path.form == "csv" else _XLSX,
        f"{path.listed}.{path.form}",
    )


def _sent(name: str, file: IO[bytes]) -> Response:
    """A file as it is read; closed with the answer."""
    answer = send_file(file, "application/zip", as_attachment=True, download_name=name, etag=False)
    answer.call_on_close(file.close)
    return answer


@api.post("/drivers/<uuid:driver_id>/leave", responses={"200": s.LeftOut}, tags=[_exchange])
@allowed("people.leave")
def let_driver_leave(path: s.OfDriver) -> Any:
    """Let a driver go for good: the laps stay, and nothing says whose they were. This can't be taken back."""
    return s.validate(s.LeftOut, {"name": make_nameless(sessions(), actor(), path.driver_id)})
