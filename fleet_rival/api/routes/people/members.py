"""The team, its people, its drivers and its rigs."""

from typing import Any

from flask import current_app
from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed
from fleet_rival.api.blueprint import api, sessions, telling_current
from fleet_rival.services.people import invitations, members, rigs

_people = Tag(name="people")


@api.put("/team", responses={"200": s.Me}, tags=[_people])
@allowed("team.change")
def change_team(header: s.Version, body: s.TeamChange) -> Any:
    """Rename the team, or open the drivers' figures to each other."""
    with telling_current(s.Me, lambda: members.me(sessions(), actor(), current_app.config["SECRET_KEY"])):
        members.change_team(sessions(), actor(), header.number, body.name, body.open_ranking, body.units.model_dump())
    return s.validate(s.Me, members.me(sessions(), actor(), current_app.config["SECRET_KEY"]))


@api.get("/people", responses={"200": s.Members}, tags=[_people])
@allowed("people.see")
def list_people() -> Any:
    """Everybody in the team."""
    return s.validate(s.Members, {"items": members.members(sessions(), actor())})


@api.put("/people/<uuid:member_id>", responses={"200": s.Members}, tags=[_people])
@allowed("people.change")
def change_member(path: s.MemberPath, header: s.Version, body: s.MemberChange) -> Any:
    """Change somebody's role, or say which driver they are."""
    with telling_current(s.Members, lambda: {"items": members.members(sessions(), actor())}):
        members.change_member(sessions(), actor(), path.member_id, header.number, body.role, body.driver_id)
    return s.validate(s.Members, {"items": members.members(sessions(), actor())})


@api.delete("/people/<uuid:member_id>", responses={"204": None}, tags=[_people])
@allowed("people.remove")
def remove_member(path: s.MemberPath) -> Any:
    """Let somebody go: they are out at once, what they did stays."""
    members.remove_member(sessions(), actor(), path.member_id)
    return "", 204


@api.get("/invitations", responses={"200": s.Invitations}, tags=[_people])
@allowed("people.see")
def list_invitations() -> Any:
    """Invitations that can still be taken up."""
    return s.validate(s.Invitations, {"items": invitations.invitations(sessions(), actor())})


@api.post("/invitations", responses={"201": s.NewInvitationOut}, tags=[_people])
@allowed("people.invite")
def invite(body: s.NewInvitation) -> Any:
    """Make a link that lets one person in, once, within a week."""
    view, token = invitations.invite(sessions(), actor(), body.name, body.role, body.driver_id)
    # Behind the #, so that it never stands in a log of requests.
    return {**s.validate(s.InvitedOut, view), "link": f"/welcome#{token}"}, 201


@api.delete("/invitations/<uuid:invitation_id>", responses={"204": None}, tags=[_people])
@allowed("people.invite.withdraw")
def withdraw_invitation(path: s.InvitationPath) -> Any:
    """Make an invitation's link useless."""
    invitations.withdraw(sessions(), actor(), path.invitation_id)
    return "", 204


@api.get("/rigs", responses={"200": s.Rigs}, tags=[_people])
@allowed("people.see")
def list_rigs() -> Any:
    """The rigs that may deliver, or might once."""
    return s.validate(s.Rigs, {"items": rigs.rigs(sessions(), actor())})


@api.post("/rigs", responses={"201": s.NewRigOut}, tags=[_people])
@allowed("people.rig")
def add_rig(body: s.NewRig) -> Any:
    """Let a rig deliver laps: its token is shown once."""
    key, token = rigs.make_rig_token(sessions(), actor(), body.name)
    return s.validate(s.NewRigOut, {"id": key, "token": token}), 201


@api.delete("/rigs/<uuid:rig_id>", responses={"204": None}, tags=[_people])
@allowed("people.rig.revoke")
def revoke_rig(path: s.RigPath) -> Any:
    """Shut a rig out."""
    rigs.revoke_rig_token(sessions(), actor(), path.rig_id)
    return "", 204


@api.get("/drivers", responses={"200": s.DriverRows}, tags=[_people])
@allowed("team.see")
def list_drivers() -> Any:
    """The team's drivers and guests; a driver sees only the own self."""
    return s.validate(s.DriverRows, {"items": members.drivers(sessions(), actor())})


@api.put("/drivers/<uuid:driver_id>", responses={"200": s.DriverRowOut}, tags=[_people])
@allowed("driver.change")
def change_driver(path: s.DriverRowPath, header: s.Version, body: s.DriverChange) -> Any:
    """Rename a driver, or say that they are a guest."""
    with telling_current(
        s.DriverRows,
        lambda: {"items": [row for row in members.drivers(sessions(), actor()) if row.id == path.driver_id]},
    ):
        view = members.change_driver(sessions(), actor(), path.driver_id, header.number, body.name, body.guest)
    return s.validate(s.DriverRowOut, view)
