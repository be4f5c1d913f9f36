"""History with undo and redo, and background work."""

from typing import Any
from uuid import UUID

from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed
from fleet_rival.api.blueprint import api, background, sessions
from fleet_rival.jobs import kinds
from fleet_rival.jobs.messages import wake
from fleet_rival.services.shared import history, jobs
from fleet_rival.services.shared.errors import NotThere

_history, _jobs = Tag(name="history"), Tag(name="jobs")


@api.get("/history", responses={"200": s.HistoryPage}, tags=[_history])
@allowed("history.see")
def get_history(query: s.HistoryQuery) -> Any:
    """What was changed, newest first: in the team, of one thing, or by oneself; a driver's own alone."""
    thing = (query.thing, query.id) if query.thing and query.id else None
    return s.validate(s.HistoryPage, history.history(sessions(), actor(), thing, query.before, query.mine))


@api.get("/history/steps", responses={"200": s.StepsOut}, tags=[_history])
@allowed("history.see")
def get_steps() -> Any:
    """What the next undo and the next redo would do."""
    return s.validate(s.StepsOut, history.steps(sessions(), actor()))


@api.post("/history/undo", responses={"200": s.TurnedOut, "202": s.TurnedOut}, tags=[_history])
@allowed("history.turn")
def undo_last() -> Any:
    """Take one's own last act back."""
    return _turn(None, again=False)


@api.post("/history/redo", responses={"200": s.TurnedOut, "202": s.TurnedOut}, tags=[_history])
@allowed("history.turn")
def redo_last() -> Any:
    """Do again what one took back last."""
    return _turn(None, again=True)


@api.get("/history/<uuid:entry_id>", responses={"200": s.EntryDetail}, tags=[_history])
@allowed("history.see")
def get_entry(path: s.EntryPath) -> Any:
    """One act with the rows before and after."""
    found, changes = history.entry(sessions(), actor(), path.entry_id)
    return s.validate(s.EntryDetail, {"entry": found, "changes": changes})


@api.post("/history/<uuid:entry_id>/undo", responses={"200": s.TurnedOut, "202": s.TurnedOut}, tags=[_history])
@allowed("history.turn")
def undo_entry(path: s.EntryPath) -> Any:
    """Take an act back; one that moves many laps in the background."""
    return _turn(path.entry_id, again=False)


@api.post("/history/<uuid:entry_id>/redo", responses={"200": s.TurnedOut, "202": s.TurnedOut}, tags=[_history])
@allowed("history.turn")
def redo_entry(path: s.EntryPath) -> Any:
    """Do again what was taken back; what moves many laps in the background."""
    return _turn(path.entry_id, again=True)


def _turn(entry_id: UUID | None, *, again: bool) -> Any:
    long = history.is_long(sessions(), actor(), entry_id, again=again)
    if long is not None:
        kind, word = (kinds.REDO, "Doing again") if again else (kinds.UNDO, "Taking back")
        job = background(kind, f"{word}: {long[1]}", kinds.AskedTurn(long[0]))
        return {"summary": None, "job": job}, 202
    done = (history.redo if again else history.undo)(sessions(), actor(), entry_id)
    return {"summary": done.summary, "job": None}


@api.get("/jobs", responses={"200": s.Jobs}, tags=[_jobs])
@allowed("job.see")
def list_jobs() -> Any:
    """Background work, newest first; a driver's own alone."""
    # A kind that this version doesn't have any more has nothing to tell.
    shown = [job for job in jobs.jobs(sessions(), actor()) if job.kind in kinds.KINDS]
    return s.validate(s.Jobs, {"items": shown})


def _known(job_id: UUID) -> jobs.JobView:
    view = jobs.job(sessions(), actor(), job_id)
    if view.kind not in kinds.KINDS:
        raise NotThere("This work was of an earlier version, and can't be looked at any more.")
    return view


@api.get("/jobs/<uuid:job_id>", responses={"200": s.JobOut}, tags=[_jobs])
@allowed("job.see")
def get_job(path: s.JobPath) -> Any:
    """How far a job has come."""
    return s.validate(s.JobOut, _known(path.job_id))


@api.post("/jobs/<uuid:job_id>/cancel", responses={"200": s.JobOut}, tags=[_jobs])
@allowed("job.change")
def cancel_job(path: s.JobPath) -> Any:
    """End a job; nothing of it is kept."""
    _known(path.job_id)
    return s.validate(s.JobOut, jobs.cancel(sessions(), actor(), path.job_id))


@api.post("/jobs/<uuid:job_id>/retry", responses={"200": s.JobOut}, tags=[_jobs])
@allowed("job.change")
def retry_job(path: s.JobPath) -> Any:
    """Try a job again that failed or was cancelled."""
    _known(path.job_id)
    view = jobs.retry(sessions(), actor(), path.job_id)
    wake(jobs.key_of(sessions(), view.id))
    return s.validate(s.JobOut, view)
