"""What the routes share: the blueprint they hang on, and how they reach services and background work."""

import hashlib
import os
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from typing import Any, TypeVar

from flask import Response, current_app, request
from flask_openapi3 import APIBlueprint
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, units
from fleet_rival.api.incoming import file_label
from fleet_rival.core.units import DEFAULTS
from fleet_rival.jobs.messages import wake
from fleet_rival.services.shared import jobs
from fleet_rival.services.shared.errors import Outdated
from fleet_rival.services.shared.lease import Kind

__all__ = ["api", "background", "download", "kept", "sent_file", "sessions", "telling_current"]

Asked = TypeVar("Asked")
_problem = {"content": {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}}
_errors: Any = {str(status): _problem for status in (401, 403, 404, 409, 412, 413, 421, 422, 429, 503, 507)}
DESCRIBED = "FLEET_DESCRIBE" in os.environ
"""Whether the routes' description is made: it takes a quarter of the start, and only who writes or tests it needs
it.
"""
api = APIBlueprint("api", __name__, url_prefix="/api", abp_responses=_errors, doc_ui=DESCRIBED)


def sessions() -> sessionmaker[Session]:
    made: sessionmaker[Session] = current_app.extensions["sessions"]
    return made


def background(kind: Kind[Asked, Any], name: str, asked: Asked) -> Any:
    """Note a job, wake a worker, and answer with the job."""
    view = jobs.start(sessions(), actor(), kind, name, asked)
    wake(jobs.key_of(sessions(), view.id))
    return s.validate(s.job_out(kind), view)


def sent_file(form: s.FileForm, unnamed: str) -> tuple[str, bytes]:
    """Name and content of a file that was sent; large ones lie in a temporary file until here.

    Args:
        unnamed: what it is called where the browser gave no name.
    """
    with closing(form.file.stream) as stream:
        return file_label(form.file.filename or "") or unnamed, stream.read()


@contextmanager
def telling_current(schema: type[s.Schema], read: Callable[[], Any]) -> Iterator[None]:
    """Where somebody else changed a thing meanwhile, answer with how it is now."""
    try:
        yield
    except Outdated as error:
        error.current = s.validate(schema, read())
        raise


def download(body: bytes, kind: str, name: str) -> Response:
    """A file to take along."""
    return Response(body, mimetype=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


def kept(body: bytes, stamp: str) -> Response:
    """An answer that was kept as JSON; the browser asks again only whether it changed."""
    if (chosen := units()) != DEFAULTS:
        # The same answer is told to each in their own units.
        stamp = f"{stamp}-{hashlib.sha256(repr(sorted(chosen.items())).encode()).hexdigest()[:8]}"
    headers = {"ETag": f'"{stamp}"', "Cache-Control": "private, no-cache"}
    if request.if_none_match.contains_weak(stamp):
        return Response(status=304, headers=headers)
    return Response(body, mimetype="application/json", headers=headers)
