"""The practice plan: made in the background, changed by people; and readiness."""

from typing import Any

from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed
from fleet_rival.api.blueprint import api, background, sessions
from fleet_rival.jobs import kinds
from fleet_rival.services.plan import change, lineup, outlook, rules, seat, view, why
from fleet_rival.services.plan.what_if import Change
from fleet_rival.services.week import entries

_plan = Tag(name="plan")


@api.get("/plan", responses={"200": s.PlanOut}, tags=[_plan])
@allowed("plan.see")
def get_plan(query: s.PlanQuery) -> Any:
    """The plan of a day's weeks; a driver's own lane."""
    return s.validate(s.PlanOut, view.plan_of(sessions(), actor(), query.day))


@api.get("/plan/coming", responses={"200": s.ComingBlocks}, tags=[_plan])
@allowed("plan.see")
def list_coming_blocks() -> Any:
    """What is planned from now on; a driver's own."""
    return s.validate(s.ComingBlocks, {"items": view.blocks_to_come(sessions(), actor())})


@api.post("/plan/make", responses={"202": s.job_out(kinds.PLAN)}, tags=[_plan])
@allowed("plan.make")
def make_plan(body: s.PlanWish) -> Any:
    """Make the plan anew, in the background: what is locked stays."""
    drivers = None if body.drivers is None else tuple(sorted(body.drivers))
    return background(kinds.PLAN, "Making the practice plan", kinds.AskedPlan(body.day, drivers)), 202


@api.post("/plan/what-if", responses={"202": s.job_out(kinds.WHAT_IF)}, tags=[_plan])
@allowed("plan.make")
def try_what_if(body: s.WhatIfWish) -> Any:
    """The plan as it would be, beside the present one, in the background; nothing is kept."""
    changes = tuple(Change(**item.model_dump()) for item in body.changes)
    return background(kinds.WHAT_IF, "Planning the week both ways", kinds.AskedWhatIf(changes, body.day)), 202


@api.post("/plan/room", responses={"202": s.job_out(kinds.ROOM)}, tags=[_plan])
@allowed("plan.make")
def find_room(body: s.RoomWish) -> Any:
    """What would make room for a block that found none, in the background."""
    return background(kinds.ROOM, "Looking for room", kinds.AskedRoom(body.key, body.day)), 202


@api.get("/plan/why", responses={"200": s.WhyOut}, tags=[_plan])
@allowed("plan.make")
def get_why(query: s.WhyQuery) -> Any:
    """Why a block stands in the plan, or doesn't."""
    return s.validate(s.WhyOut, why.why(sessions(), actor(), query.key, query.day))


@api.put("/plan/blocks/<uuid:block_id>", responses={"204": None}, tags=[_plan])
@allowed("plan.change")
def change_plan_block(path: s.PlanBlockPath, header: s.Version, body: s.PlanBlockChange) -> Any:
    """Move a block, make it longer, lock it; if it is still as it was looked at."""
    change.change_block(sessions(), actor(), path.block_id, header.number, body.model_dump(exclude_unset=True))
    return "", 204


@api.delete("/plan/blocks/<uuid:block_id>", responses={"204": None}, tags=[_plan])
@allowed("plan.remove")
def remove_plan_block(path: s.PlanBlockPath, header: s.Version) -> Any:
    """Take a block out of the plan."""
    change.remove_block(sessions(), actor(), path.block_id, header.number)
    return "", 204


@api.get("/readiness", responses={"200": s.ReadinessOut}, tags=[_plan])
@allowed("plan.see")
def get_readiness(query: s.PlanQuery) -> Any:
    """Each entry's checks, what is open first; a driver's own."""
    return s.validate(s.ReadinessOut, view.readiness_of(sessions(), actor(), query.day))


@api.post("/readiness/history", responses={"202": s.job_out(kinds.BEHIND)}, tags=[_plan])
@allowed("plan.see")
def look_back_at_readiness(body: s.ReadinessPast) -> Any:
    """How an entry's readiness came about, and how it stood in earlier weeks, in the background; a driver's own."""
    entries.entry(sessions(), actor(), body.entry_id)
    return background(kinds.BEHIND, "Looking back at readiness", kinds.AskedBehind(body.entry_id)), 202


@api.get("/plan/rules", responses={"200": s.PlanRulesOut}, tags=[_plan])
@allowed("plan.make")
def get_plan_rules() -> Any:
    """What readiness and plans go by: checks with what meets them, kinds of blocks, settings of planning."""
    return s.validate(s.PlanRulesOut, rules.rules_view(sessions(), actor()))


@api.put("/plan/rules", responses={"200": s.PlanRulesOut}, tags=[_plan])
@allowed("plan.rules")
def change_plan_rules(header: s.Version, body: s.PlanRulesBody) -> Any:
    """Change them; if they are still as they were looked at."""
    checks = {key: item.model_dump() for key, item in body.checks.items()}
    blocks = {code: item.model_dump(exclude_none=True) for code, item in body.blocks.items()}
    return s.validate(
        s.PlanRulesOut, rules.change_rules(sessions(), actor(), header.number, checks, blocks, body.planning)
    )


@api.get("/seats", responses={"200": s.SeatsOut}, tags=[_plan])
@allowed("plan.see")
def list_seats() -> Any:
    """Who sits at the wheel now, for how long, and whether it is enough; a driver's own."""
    return s.validate(s.SeatsOut, {"items": seat.seats(sessions(), actor())})


@api.post("/lineup", responses={"200": s.LineupOut}, tags=[_plan])
@allowed("plan.make")
def propose_lineup(body: s.LineupWish) -> Any:
    """Who should drive which race, with the reasons; nothing is written."""
    wish = body.model_dump()
    return s.validate(s.LineupOut, lineup.propose(sessions(), actor(), **wish))


@api.get("/outlook", responses={"200": s.OutlookOut}, tags=[_plan])
@allowed("plan.see")
def get_outlook() -> Any:
    """The weeks to come: what is known, hours needed against hours there, when to begin; a driver's own."""
    return s.validate(s.OutlookOut, outlook.outlook(sessions(), actor()))
