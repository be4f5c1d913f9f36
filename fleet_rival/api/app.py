"""Puts the application together."""

import json
import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

from flask import Response, abort, send_from_directory
from flask_openapi3 import Info, OpenAPI
from flask_talisman import Talisman

import fleet_rival
from fleet_rival.api import access, problems
from fleet_rival.api.routes import api
from fleet_rival.api.schemas import Problem
from fleet_rival.db.session import make_engine, make_sessions
from fleet_rival.services.drive import MAX_BYTES

__all__ = ["create_app", "openapi_document"]

_POLICY = {
    "default-src": "'none'",
    "script-src": "'self'",
    "style-src": "'self'",
    "img-src": ["'self'", "data:"],
    "font-src": "'self'",
    "connect-src": "'self'",
    "base-uri": "'none'",
    "form-action": "'self'",
    "frame-ancestors": "'none'",
}
_NONCE = "__CSP_NONCE__"
"""Stands in the built page where each answer's own nonce goes."""


def create_app(database_url: str | None = None, interface: Path | None = None) -> OpenAPI:
    """The application.

    Args:
        database_url: where the data are; `FLEET_DATABASE_URL` of the environment where missing.
        interface: folder of the built pages; `frontend/dist` where missing.
    """
    app = _bare()
    app.config["MAX_CONTENT_LENGTH"] = MAX_BYTES + 100_000
    app.config["MAX_FORM_MEMORY_SIZE"] = 100_000
    app.extensions["sessions"] = make_sessions(make_engine(database_url or os.environ["FLEET_DATABASE_URL"]))
    Talisman(
        app,
        force_https=False,
        strict_transport_security=False,
        session_cookie_secure=False,
        content_security_policy=_POLICY,
        content_security_policy_nonce_in=["script-src", "style-src"],
        frame_options="DENY",
        referrer_policy="same-origin",
        permissions_policy={"camera": "()", "geolocation": "()", "microphone": "()"},
    )
    problems.register(app)
    access.register(app)
    _serve_interface(app, interface or Path(fleet_rival.__file__).parents[1] / "frontend" / "dist")
    return app


def openapi_document() -> dict[str, Any]:
    """The description of the interface, generated from the code."""
    document: dict[str, Any] = json.loads(json.dumps(_bare().api_doc))
    return document


def _bare() -> OpenAPI:
    app = OpenAPI(
        "fleet_rival",
        info=Info(title="Fleet Rival", version=fleet_rival.__version__),
        validation_error_callback=problems.invalid_input,
        validation_error_model=Problem,
        security_schemes={},
        doc_ui=False,
        static_folder=None,
    )
    app.register_api(api)

    @app.get("/api/openapi.json", doc_ui=False)
    def openapi() -> Response:
        return Response(json.dumps(app.api_doc), mimetype="application/json")

    return app


def _serve_interface(app: OpenAPI, folder: Path) -> None:
    def asset(name: str) -> Response:
        # The names hold a hash of the content, so they never change their meaning.
        response = send_from_directory(folder / "assets", name, max_age=31_536_000)
        response.cache_control.immutable = True
        return response

    def icon() -> Response:
        return send_from_directory(folder, "favicon.svg", max_age=86_400)

    def page(path: str = "") -> Response:
        if path.startswith(("api/", "assets/")):
            abort(404)
        try:
            text = (folder / "index.html").read_text(encoding="utf-8")
        except OSError:
            abort(503, "The pages aren't built yet: start the application with ./fleet demo or ./fleet start.")
        nonce: Callable[[], str] = app.jinja_env.globals["csp_nonce"]  # type: ignore[assignment]  # of Talisman
        response = Response(text.replace(_NONCE, nonce()), mimetype="text/html")
        response.cache_control.no_store = True
        return response

    app.add_url_rule("/assets/<path:name>", view_func=asset)
    app.add_url_rule("/favicon.svg", view_func=icon)
    app.add_url_rule("/", view_func=page)
    app.add_url_rule("/<path:path>", view_func=page)
