"""Who may ask at all. Until people sign in, the server answers on loopback alone and one fixed manager acts.

A page of somebody else's in the same browser could still send requests to loopback, so the host must be ours and whatever
changes something must come from our own pages.
"""

from urllib.parse import urlsplit

from flask import Flask, Response, current_app, g, request

from fleet_rival.api.problems import problem
from fleet_rival.services.base import Actor
from fleet_rival.services.team import first_actor

__all__ = ["actor", "register"]

_OWN_HOSTS = frozenset({"127.0.0.1", "localhost", "[::1]"})
_SAFE_METHODS = frozenset({"GET", "HEAD", "OPTIONS"})


def actor() -> Actor:
    """Who acts in this request."""
    acting: Actor = g.actor
    return acting


def register(app: Flask) -> None:
    """Refuse what doesn't come from here, before any route."""

    @app.before_request
    def check() -> Response | None:
        host = request.host.rsplit(":", 1)[0] if not request.host.endswith("]") else request.host
        if host not in _OWN_HOSTS:
            return problem(421, "other-host", "Not the right address", "This server answers on this machine alone: open it as http://127.0.0.1.")
        if request.method not in _SAFE_METHODS:
            origin, site = request.headers.get("Origin"), request.headers.get("Sec-Fetch-Site")
            if (origin is not None and urlsplit(origin).netloc != request.host) or site not in (None, "same-origin", "none"):
                return problem(403, "other-origin", "Not from here", "Changes are taken from this application's own pages only.")
        if request.blueprint == "api" and request.endpoint != "api.health":
            if "actor" not in current_app.extensions:
                current_app.extensions["actor"] = first_actor(current_app.extensions["sessions"])
            g.actor = current_app.extensions["actor"]
        return None
