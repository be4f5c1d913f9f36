"""A team's data out and in: exchange packages, and what belongs to who leaves."""

import tempfile
from collections.abc import Callable
from datetime import UTC, datetime
from typing import IO, Any

from flask import Response, send_file
from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed
from fleet_rival.api.blueprint import api, download, sessions
from fleet_rival.services import people
from fleet_rival.services.exchange.bring import bring_team, let_in
from fleet_rival.services.exchange.export import export_driver, export_team, package_name
from fleet_rival.services.exchange.leave import make_nameless
from fleet_rival.services.exchange.lists import list_csv, list_xlsx

_exchange = Tag(name="exchange")
_ZIP: Any = {"200": {"content": {"application/zip": {"schema": {"type": "string", "format": "binary"}}}}}
_XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
_LIST: Any = {"200": {"content": {kind: {"schema": {"type": "string"}} for kind in ("text/csv", _XLSX)}}}
_IN_MEMORY = 16_000_000


@api.get("/team/package", responses=_ZIP, tags=[_exchange])
@allowed("manager")
def get_package(query: s.PackageQuery) -> Response:
    """The team's data as an exchange package, or what belongs to some weeks."""
    name = package_name(people.me(sessions(), actor()).team, datetime.now(UTC))
    return _sent(name, lambda file: export_team(sessions(), actor(), file, query.week, telemetry=query.telemetry))


@api.post("/team/packages", responses={"201": s.BroughtInOut}, tags=[_exchange])
@allowed("manager")
def bring_package(form: s.FileForm) -> Any:
    """Make another team from a package; whoever brings it manages it. People who weren't known here get a way in, which is shown once."""
    with form.file.stream as stream:
        brought = bring_team(sessions(), stream, actor())
    told = {"team_id": brought.public_id, "team": brought.name, "rows": brought.rows, "ways": let_in(sessions(), brought)}
    return s.validate(s.BroughtInOut, told), 201


@api.get("/drivers/<uuid:driver_id>/data.zip", responses=_ZIP, tags=[_exchange])
@allowed("manager", "coach", "driver")
def get_driver_data(path: s.OfDriver) -> Response:
    """What is kept of one driver, to take along; a driver's own."""
    return _sent("own-data.package.zip", lambda file: export_driver(sessions(), actor(), file, path.driver_id, telemetry=True))


@api.get("/lists/<string:listed>.<string:form>", responses=_LIST, tags=[_exchange])
@allowed("manager", "coach", "driver")
def get_list(path: s.ListPath) -> Response:
    """A list in words, for a spreadsheet; a driver's own rows."""
    make = list_csv if path.form == "csv" else list_xlsx
    return download(make(sessions(), actor(), path.listed), "text/csv" if path.form == "csv" else _XLSX, f"{path.listed}.{path.form}")


def _sent(name: str, write: Callable[[IO[bytes]], object]) -> Response:
    """A file as it is written; a large one lies on disk while it is sent."""
    file: IO[bytes] = tempfile.SpooledTemporaryFile(_IN_MEMORY)  # noqa: SIM115 - closed with the answer
    try:
        write(file)
        file.seek(0)
        answer = send_file(file, "application/zip", as_attachment=True, download_name=name, etag=False)
    except BaseException:
        file.close()
        raise
    answer.call_on_close(file.close)
    return answer


@api.post("/drivers/<uuid:driver_id>/leave", responses={"200": s.LeftOut}, tags=[_exchange])
@allowed("manager")
def let_driver_leave(path: s.OfDriver) -> Any:
    """Let a driver go for good: the laps stay, and nothing says whose they were. This can't be taken back."""
    return s.validate(s.LeftOut, {"name": make_nameless(sessions(), actor(), path.driver_id)})
