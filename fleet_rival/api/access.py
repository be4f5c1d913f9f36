"""Who may ask for what. Everything is denied that isn't allowed here, route by route.

A person is known by a cookie that scripts can't read; what changes something must also show a token that only our own
pages know, and come from them. A rig is known by the token it sends, and may only deliver.
"""

import hashlib
import hmac
from collections.abc import Callable, Mapping
from datetime import timedelta
from typing import Any, TypeVar
from urllib.parse import urlsplit

from flask import Flask, Response, current_app, g, request

from fleet_rival.api.problems import problem
from fleet_rival.core.units import DEFAULTS
from fleet_rival.services.people import sign_in
from fleet_rival.services.people.sign_in import ABSOLUTE_LIFE, Signed
from fleet_rival.services.shared import space
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.roles import ALL, permissions_of

__all__ = [
    "ALLOWED",
    "COOKIE",
    "DOORS",
    "actor",
    "allowed",
    "browser",
    "clear_cookie",
    "csrf_token",
    "keep_browser",
    "known_browser_cookie",
    "register",
    "set_cookie",
    "signed",
    "token",
    "units",
]

COOKIE = "fleet_rival_sign_in"
CSRF_HEADER = "X-Fleet-Rival-Token"
ALLOWED: dict[str, str] = {}
"""Endpoint to what who asks must be allowed: a permission by its name, or one of `DOORS`."""
DOORS = frozenset({"anyone", "person", "rig"})
"""What is for no role: `person` for anybody who is signed in, `anyone` for those who aren't, `rig` for who shows a
rig's token.
"""
_KNOWN_FOR = timedelta(days=400)
_OWN_HOSTS = frozenset({"127.0.0.1", "localhost", "[::1]"})
_WITHOUT_ROOM = frozenset(
    {
        "api.post_sign_out",
        "api.post_sign_out_everywhere",
        "api.end_browser",
        "api.cancel_job",
        "api.discard_upload",
        "api.discard_laps",
    }
)
"""What ends or frees something is done on a full disk too."""
_SAFE_METHODS = frozenset({"GET", "HEAD", "OPTIONS"})
View = TypeVar("View", bound=Callable[..., Any])


def allowed(needed: str, blueprint: str = "api.") -> Callable[[View], View]:
    """Say what is needed to ask a route: a permission, or one of `DOORS`. A route without this is for nobody.

    Raises:
        KeyError: there is no such permission.
    """
    if needed not in DOORS | ALL:
        raise KeyError(needed)

    def note(view: View) -> View:
        ALLOWED[blueprint + view.__name__] = needed
        return view

    return note


def actor() -> Actor:
    """Who acts in this request."""
    acting: Actor = g.actor
    return acting


def units() -> Mapping[str, str]:
    """In which units who asks is told quantities."""
    chosen: Mapping[str, str] = g.get("units", DEFAULTS)
    return chosen


def signed() -> Signed | None:
    """Who is signed in, on routes that are for anyone too."""
    if "signed" not in g:
        shown = token()
        g.signed = sign_in.signed_in(current_app.extensions["sessions"], shown) if shown else None
    found: Signed | None = g.signed
    return found


def token() -> str | None:
    return request.cookies.get(COOKIE)


def csrf_token(shown: str) -> str:
    """What pages must show beside the cookie: made from it, so it needs no keeping, and it changes with it."""
    return hmac.new(current_app.config["SECRET_KEY"], f"csrf:{shown}".encode(), "sha256").hexdigest()


def set_cookie(response: Response, new: str) -> Response:
    response.set_cookie(
        COOKIE, new, max_age=ABSOLUTE_LIFE, httponly=True, samesite="Strict", secure=request.is_secure, path="/"
    )
    return response


def known_browser_cookie(name: str) -> str:
    """Under which name a browser keeps that somebody has signed in in it: one for each, since several may share it."""
    return f"fleet_rival_browser_{hashlib.sha256(name.strip().casefold().encode()).hexdigest()[:12]}"


def keep_browser(response: Response, name: str, value: str) -> Response:
    """Have the browser keep that its person has signed in in it: it opens nothing, it only spares them waiting for
    somebody else's guesses.
    """
    response.set_cookie(
        name, value, max_age=_KNOWN_FOR, httponly=True, samesite="Strict", secure=request.is_secure, path="/api/sign-in"
    )
    return response


def clear_cookie(response: Response) -> Response:
    response.delete_cookie(COOKIE, path="/", httponly=True, samesite="Strict")
    return response


def browser() -> str:
    """The browser in a few words, for the list of where one is signed in."""
    agent = request.user_agent.string
    kind = next((name for name in ("Firefox", "Edg", "Chrome", "Safari") if name in agent), "")
    system = next((name for name in ("Android", "iPhone", "iPad", "Windows", "Mac OS", "Linux") if name in agent), "")
    names = {
        "Edg": "Chromium-based browser",
        "Chrome": "Chromium-based browser",
        "Safari": "WebKit-based browser",
        "Firefox": "Gecko-based browser",
    }
    return " on ".join(filter(None, (names.get(kind, "a program"), system)))


def register(app: Flask) -> None:
    """Refuse what isn't allowed, before any route."""

    @app.before_request
    def check() -> Response | None:
        if (refusal := _from_here()) is not None:
            return refusal
        if request.endpoint is None:
            return None
        needed = ALLOWED.get(request.endpoint, "")
        if needed == "anyone":
            return None
        if needed == "rig":
            return _rig()
        return _person(needed)


def _from_here() -> Response | None:
    host = request.host.rsplit(":", 1)[0] if not request.host.endswith("]") else request.host
    if host not in _OWN_HOSTS:
        return problem(
            421,
            "other-host",
            "Not the right address",
            "This server answers on this machine alone: open it as http://127.0.0.1.",
        )
    if request.method not in _SAFE_METHODS:
        origin, site = request.headers.get("Origin"), request.headers.get("Sec-Fetch-Site")
        if (origin is not None and _place_of(origin) != request.host) or site not in (None, "same-origin", "none"):
            return problem(
                403, "other-origin", "Not from here", "Changes are taken from this application's own pages only."
            )
    return None


def _place_of(origin: str) -> str | None:
    try:
        return urlsplit(origin).netloc
    except ValueError:  # brackets around what is no address
        return None


def _rig() -> Response | None:
    kind, _, shown = request.headers.get("Authorization", "").partition(" ")
    found = sign_in.rig(current_app.extensions["sessions"], shown) if kind == "Bearer" and shown else None
    if found is None:
        return problem(
            401,
            "no-rig",
            "Not a rig's token",
            "This rig isn't let in, or no longer. A manager makes tokens under People.",
        )
    if request.method not in _SAFE_METHODS and space.is_full():
        return _no_room()
    g.actor = found
    return None


def _no_room() -> Response:
    response = problem(
        507,
        "no-room",
        "No room left",
        "The disk of this installation is full: nothing new is taken, and nothing was changed.",
    )
    response.headers["Retry-After"] = "30"
    return response


def _person(needed: str) -> Response | None:
    found = signed()
    if found is None:
        return clear_cookie(problem(401, "sign-in", "Not signed in", "Sign in first."))
    if request.method not in _SAFE_METHODS and not hmac.compare_digest(
        request.headers.get(CSRF_HEADER, "").encode(), csrf_token(token() or "").encode()
    ):
        return problem(
            403, "no-token", "Not from a page of ours", "This page is out of date. Load it anew, then try again."
        )
    if request.method not in _SAFE_METHODS and request.endpoint not in _WITHOUT_ROOM and space.is_full():
        return _no_room()
    if found.actor is None:
        if needed == "person":
            return None
        return problem(
            403,
            "no-team",
            "Not in this team",
            "You aren't in this team any more. Open another one, or ask for an invitation.",
        )
    if needed != "person" and needed not in permissions_of(found.actor.role):
        return problem(
            403,
            "not-yours",
            "Not for this role",
            f"As {found.actor.role} you can't do this. Ask a manager of the team.",
        )
    g.actor = found.actor
    g.units = found.units
    return None
