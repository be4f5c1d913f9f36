"""Signing in and out, and what belongs to one person alone."""

from typing import Any

from flask import Response, current_app, jsonify, request
from flask_openapi3 import Tag

import fleet_rival
from fleet_rival.api import schemas as s
from fleet_rival.api.access import (
    actor,
    allowed,
    browser,
    clear_cookie,
    csrf_token,
    keep_browser,
    known_browser_cookie,
    set_cookie,
    signed,
    token,
)
from fleet_rival.api.blueprint import api, sessions
from fleet_rival.api.problems import problem
from fleet_rival.db.events import last_event
from fleet_rival.db.session import database_answers
from fleet_rival.services.people import invitations, members, sign_in
from fleet_rival.services.people.sign_in import Signed
from fleet_rival.services.shared.errors import NotThere

_own = Tag(name="sign-in")


@api.get("/health", responses={"200": s.Health}, tags=[_own])
@allowed("anyone")
def health() -> Any:
    """Whether the server can work; 503 while the database can't be asked."""
    if not database_answers(sessions()):
        response = problem(503, "away", "Not ready", "The database can't be reached at the moment.")
        response.headers["Retry-After"] = "3"
        return response
    return s.validate(s.Health, {"status": "ok", "version": fleet_rival.__version__})


@api.post("/sign-in", responses={"200": s.Ticket}, tags=[_own])
@allowed("anyone")
def post_sign_in(body: s.SignInForm) -> Any:
    """Sign in. The browser gets a new cookie, whatever it had before."""
    address = request.remote_addr or ""
    old = token()
    keeps = known_browser_cookie(body.name)
    key = current_app.config["SECRET_KEY"]
    new, kept = sign_in.sign_in(
        sessions(), body.name, body.password, address, key, browser(), request.cookies.get(keeps)
    )
    if old:
        sign_in.sign_out(sessions(), old)
    return keep_browser(_with_cookie(new), keeps, kept)


@api.post("/sign-out", responses={"204": None}, tags=[_own])
@allowed("person")
def post_sign_out() -> Any:
    """Sign out in this browser."""
    sign_in.sign_out(sessions(), token() or "")
    return clear_cookie(Response(status=204))


@api.post("/sign-out-everywhere", responses={"204": None}, tags=[_own])
@allowed("person")
def post_sign_out_everywhere() -> Any:
    """Sign out in all browsers, this one too."""
    with sessions().begin() as session:
        sign_in.end_all(session, _signed().person_id)
    return clear_cookie(Response(status=204))


@api.get("/me", responses={"200": s.Entered}, tags=[_own])
@allowed("team.see")
def get_me() -> Any:
    """Who is signed in, where, what they like, and what a page needs to change things."""
    with sessions()() as session:
        last = last_event(session)
    view = s.validate(s.Me, members.me(sessions(), actor(), current_app.config["SECRET_KEY"]))
    return {**view, "csrf_token": csrf_token(token() or ""), "last_event": last}


@api.put("/me/preferences", responses={"200": s.Preferences}, tags=[_own])
@allowed("me.change")
def put_preferences(body: s.Preferences) -> Any:
    """Keep units, time zone, theme and density."""
    return s.validate(s.Preferences, members.prefer(sessions(), actor(), body.model_dump(exclude_unset=True)))


@api.post("/me/password", responses={"200": s.Ticket}, tags=[_own])
@allowed("person")
def post_password(body: s.PasswordChange) -> Any:
    """Change one's password, and sign out everywhere else."""
    return _with_cookie(
        members.change_password(sessions(), _signed(), body.old, body.new, browser(), current_app.config["SECRET_KEY"])
    )


@api.get("/me/browsers", responses={"200": s.Browsers}, tags=[_own])
@allowed("person")
def list_browsers() -> Any:
    """Where one is signed in."""
    return s.validate(s.Browsers, {"items": sign_in.browsers(sessions(), _signed())})


@api.delete("/me/browsers/<uuid:browser_id>", responses={"204": None}, tags=[_own])
@allowed("person")
def end_browser(path: s.BrowserPath) -> Any:
    """Sign out in one browser."""
    sign_in.end_one(sessions(), _signed(), path.browser_id)
    return "", 204


@api.post("/me/team", responses={"204": None}, tags=[_own])
@allowed("person")
def open_team(body: s.OpenTeam) -> Any:
    """Go to the desk of another team one is in."""
    sign_in.open_team(sessions(), _signed(), body.team_id)
    return "", 204


@api.post("/welcome", responses={"200": s.WelcomeOut}, tags=[_own])
@allowed("anyone")
def look_at_invitation(body: s.Token) -> Any:
    """What an invitation says to whom opens its link."""
    return s.validate(s.WelcomeOut, invitations.welcome(sessions(), body.token))


@api.post("/welcome/accept", responses={"200": s.Ticket}, tags=[_own])
@allowed("anyone")
def accept_invitation(body: s.Acceptance) -> Any:
    """Take an invitation up as somebody new; they are signed in then."""
    return _with_cookie(
        invitations.accept(sessions(), body.token, body.name, body.sign_in_name, body.password, browser())
    )


@api.post("/welcome/join", responses={"204": None}, tags=[_own])
@allowed("person")
def join_team(body: s.Token) -> Any:
    """Take an invitation up as somebody who is signed in."""
    invitations.join(sessions(), _signed(), body.token)
    return "", 204


def _signed() -> Signed:
    found = signed()
    if found is None:
        raise NotThere("You aren't signed in.")
    return found


def _with_cookie(new: str) -> Response:
    return set_cookie(jsonify({"csrf_token": csrf_token(new)}), new)
