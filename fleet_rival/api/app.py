"""Puts the application together."""

import json
import mimetypes
import os
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

from flask import Response, abort, request, send_from_directory
from flask_openapi3 import Info, OpenAPI
from flask_talisman import Talisman
from werkzeug.security import safe_join

import fleet_rival
import fleet_rival.api.routes
from fleet_rival.api import access, incoming, problems, requests, retries, telling
from fleet_rival.api.access import ALLOWED, COOKIE, DOORS, allowed
from fleet_rival.api.blueprint import api
from fleet_rival.api.schemas import Problem
from fleet_rival.api.streams import Streams
from fleet_rival.db import events
from fleet_rival.db.session import make_engine, make_sessions
from fleet_rival.jobs.messages import tell_events
from fleet_rival.services.drive.files import MAX_BYTES
from fleet_rival.services.shared.roles import ROLES, permissions_of

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
_FRONTEND = Path(fleet_rival.__file__).parents[1] / "frontend"
_NONCE = "__CSP_NONCE__"
"""Stands in the built page where each answer's own nonce goes."""
_SIGNED_IN = "__SIGNED_IN__"
"""Stands where the page is told whether anybody is signed in, so that it need not ask in vain."""
_EARLY = "<!-- __EARLY__ -->"
_ASK_AT_ONCE = '<link rel="preload" as="fetch" href="/api/me" crossorigin>'
"""Has the browser ask who is signed in while it still fetches the page's code."""


def create_app(database_url: str | None = None, interface: Path | None = None, secret: str | None = None) -> OpenAPI:
    """The application.

    Args:
        database_url: where the data are; `FLEET_DATABASE_URL` of the environment where missing.
        interface: folder of the built pages; `frontend/dist` where missing.
        secret: from which tokens are made; `FLEET_SECRET` of the environment where missing.
    """
    app = _bare()
    app.config["SECRET_KEY"] = (secret or os.environ["FLEET_SECRET"]).encode()
    app.config["MAX_CONTENT_LENGTH"] = MAX_BYTES + 100_000
    app.config["MAX_FORM_MEMORY_SIZE"] = 100_000
    app.extensions["sessions"] = make_sessions(make_engine(database_url or os.environ["FLEET_DATABASE_URL"]))
    app.extensions["streams"] = Streams(app.extensions["sessions"])
    events.on_commit(tell_events)
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
    requests.register(app)
    incoming.register(app)
    problems.register(app)
    access.register(app)
    _serve_interface(app, interface or _FRONTEND / "dist")
    telling.register(app)
    retries.register(app)
    return app


def openapi_document() -> dict[str, Any]:
    """The description of the interface, generated from the code; `FLEET_DESCRIBE` must be set before that is loaded."""
    return _described(_bare())


def _described(app: OpenAPI) -> dict[str, Any]:
    """What the routes' code says, and who may ask each of them."""
    document: dict[str, Any] = json.loads(json.dumps(app.api_doc))
    for path, methods in document["paths"].items():
        endpoints = {
            method: rule.endpoint
            for rule in app.url_map.iter_rules()
            if _braced(rule.rule) == path
            for method in rule.methods or ()
        }
        for method, operation in methods.items():
            needed = ALLOWED.get(endpoints[method.upper()], "")
            operation["x-needs"] = needed
            operation["x-allowed"] = (
                [needed] if needed in DOORS else sorted(role for role in ROLES if needed in permissions_of(role))
            )
            operation["security"] = (
                [] if needed == "anyone" else [{"rig": []}] if needed == "rig" else [{"browser": []}]
            )
    return document


def _braced(rule: str) -> str:
    """`/a/<uuid:b>` as OpenAPI writes it: `/a/{b}`."""
    return re.sub(r"<(?:\w+:)?(\w+)>", r"{\1}", rule)


def _bare() -> OpenAPI:
    app = OpenAPI(
        "fleet_rival",
        info=Info(title="Fleet Rival", version=fleet_rival.__version__),
        validation_error_callback=problems.invalid_input,
        validation_error_model=Problem,
        security_schemes={
            "browser": {"type": "apiKey", "in": "cookie", "name": COOKIE},
            "rig": {"type": "http", "scheme": "bearer"},
        },
        doc_ui=False,
        static_folder=None,
    )
    app.register_api(api)

    @app.get("/api/openapi.json", doc_ui=False)
    @allowed("anyone", blueprint="")
    def openapi() -> Response:
        # As it was written from the code, when that changed last.
        return Response(
            (_FRONTEND / "src" / "shared" / "api" / "openapi.json").read_bytes(), mimetype="application/json"
        )

    return app


def _serve_interface(app: OpenAPI, folder: Path) -> None:
    @allowed("anyone", blueprint="")
    def asset(name: str) -> Response:
        # The names hold a hash of the content, so they never change their meaning.
        compressed = safe_join(str(folder / "assets"), f"{name}.br")
        packed = compressed is not None and request.accept_encodings["br"] > 0 and Path(compressed).is_file()
        kind = mimetypes.guess_type(name)[0]
        response = send_from_directory(
            folder / "assets", f"{name}.br" if packed else name, mimetype=kind, max_age=31_536_000
        )
        response.vary.add("Accept-Encoding")
        if packed:
            response.headers["Content-Encoding"] = "br"
        response.cache_control.immutable = True
        return response

    @allowed("anyone", blueprint="")
    def icon() -> Response:
        return send_from_directory(folder, "favicon.svg", max_age=86_400)

    @allowed("anyone", blueprint="")
    def page(path: str = "") -> Response:
        if path.startswith(("api/", "assets/")):
            abort(404)
        try:
            text = (folder / "index.html").read_text(encoding="utf-8")
        except OSError:
            abort(
                503,
                (
                    "The pages of this installation aren't built. Whoever runs it starts it anew with ./fleet start, "
                    "which builds them."
                ),
            )
        nonce: Callable[[], str] = app.jinja_env.globals["csp_nonce"]  # type: ignore[assignment]  # of Talisman
        signed_in = access.signed() is not None
        text = (
            text.replace(_NONCE, nonce())
            .replace(_SIGNED_IN, "yes" if signed_in else "no")
            .replace(_EARLY, _ASK_AT_ONCE if signed_in else "")
        )
        response = Response(text, mimetype="text/html")
        response.cache_control.no_store = True
        return response

    app.add_url_rule("/assets/<path:name>", view_func=asset)
    app.add_url_rule("/favicon.svg", view_func=icon)
    app.add_url_rule("/", view_func=page)
    app.add_url_rule("/<path:path>", view_func=page)
