"""Errors as RFC 9457 problems: a sentence that helps, and nothing about the inside."""

import logging
from typing import Any

from flask import Flask, Response, g, json, make_response, request
from pydantic import ValidationError
from sqlalchemy.exc import SQLAlchemyError
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge

from fleet_rival.db.session import is_passing, may_be_kept
from fleet_rival.services.drive.files import MAX_BYTES
from fleet_rival.services.shared.errors import Conflict, NoRoom, NotThere, Outdated, Refused, ServiceError, TooMany

__all__ = ["invalid_input", "problem", "register"]

_KINDS: dict[type[ServiceError], tuple[int, str, str]] = {
    NotThere: (404, "not-there", "Not there"),
    Refused: (422, "refused", "This can't be used"),
    Conflict: (409, "conflict", "Something stands in the way"),
    Outdated: (412, "outdated", "Changed meanwhile"),
    NoRoom: (507, "no-room", "No room left"),
    TooMany: (429, "too-many", "Too many attempts"),
}
AWAY = "The database can't be reached at the moment. Nothing was changed."
_MAY_BE_KEPT = (
    "The database was lost while this was being written down, and nobody can say whether it is kept. Look before you "
    "send it again."
)
log = logging.getLogger(__name__)


def problem(status: int, kind: str, title: str, detail: str, **more: Any) -> Response:
    body = {
        "type": f"urn:fleet-rival:{kind}",
        "title": title,
        "status": status,
        "detail": detail,
        **_request_id(),
        **more,
    }
    return Response(json.dumps(body), status, mimetype="application/problem+json")


def _request_id() -> dict[str, str]:
    return {"request_id": g.request_id} if "request_id" in g else {}


def invalid_input(error: ValidationError) -> Response:
    """Input that doesn't fit its schema: which fields, and why."""
    fields = [
        {"field": ".".join(str(place) for place in row["loc"]), "reason": row["msg"]}
        for row in error.errors(include_url=False, include_input=False)
    ]
    named = "; ".join(f"{row['field'] or 'body'}: {row['reason']}" for row in fields[:3])
    return problem(422, "invalid-input", "This input doesn't fit", f"{named}.", fields=fields)


_TOO_LARGE = f"Up to {MAX_BYTES // 1_000_000} MB are taken. Split the file by session and add the parts."
_TOO_DEEP = "What was sent holds lists or objects within each other, deeper than anything here needs."
_BROKEN = "The server met an error of its own. Nothing was changed. Try again; if it stays, look into var/log."


def register(app: Flask) -> None:
    """Answer every error of the application with a problem."""

    @app.errorhandler(ServiceError)
    def service_error(error: ServiceError) -> Response:
        status, kind, title = _KINDS[type(error)]
        more = {"current": error.current} if isinstance(error, Outdated) and error.current is not None else {}
        response = problem(status, kind, title, str(error), **more)
        if isinstance(error, TooMany | NoRoom):
            response.headers["Retry-After"] = str(error.wait_seconds if isinstance(error, TooMany) else 60)
        return response

    @app.errorhandler(RequestEntityTooLarge)
    def too_large(error: RequestEntityTooLarge) -> Response:
        return problem(413, "too-large", "The file is too large", _TOO_LARGE)

    @app.errorhandler(HTTPException)
    def http_error(error: HTTPException) -> Response:
        response = make_response(error.get_response())
        body = {
            "type": "about:blank",
            "title": error.name,
            "status": error.code,
            "detail": error.description or error.name,
            **_request_id(),
        }
        response.set_data(json.dumps(body))
        response.mimetype = "application/problem+json"
        return response

    @app.errorhandler(RecursionError)
    def too_deep(error: RecursionError) -> Response:
        return problem(400, "too-deep", "This can't be read", _TOO_DEEP)

    @app.errorhandler(SQLAlchemyError)
    def database(error: SQLAlchemyError) -> Response:
        if not is_passing(error):
            return anything(error)
        log.warning("the database can't be asked now: %s", type(error).__name__)
        unsure = request.method not in ("GET", "HEAD") and may_be_kept(error)
        response = (
            problem(503, "unsure", "Not known", _MAY_BE_KEPT) if unsure else problem(503, "away", "Not now", AWAY)
        )
        response.headers["Retry-After"] = "3"
        return response

    @app.errorhandler(Exception)
    def anything(error: Exception) -> Response:
        log.exception("unexpected error")
        return problem(500, "internal", "Something broke here", _BROKEN)
