"""What every answer carries, and one line in the log for each: under the same id, with nothing in it that tells of a
person.
"""

import time

import structlog
from flask import Flask, Response, g, request
from uuid6 import uuid7

__all__ = ["register"]

log = structlog.stdlib.get_logger("fleet_rival.requests")


def register(app: Flask) -> None:
    @app.before_request
    def begin() -> None:
        g.request_id = uuid7().hex[-12:]
        g.began = time.perf_counter()
        structlog.contextvars.bind_contextvars(request_id=g.request_id)

    @app.after_request
    def end(response: Response) -> Response:
        response.headers["X-Request-Id"] = g.request_id
        response.headers["Cross-Origin-Opener-Policy"] = response.headers["Cross-Origin-Resource-Policy"] = (
            "same-origin"
        )
        # What is one person's stays in no cache, unless a route says otherwise.
        response.headers.setdefault("Cache-Control", "no-store")
        # The rule instead of the address: an address may hold what somebody searched for.
        rule = request.url_rule.rule if request.url_rule else "-"
        took = round((time.perf_counter() - g.began) * 1000, 1)
        log.info("request", method=request.method, rule=rule, status=response.status_code, ms=took)
        structlog.contextvars.clear_contextvars()
        return response
