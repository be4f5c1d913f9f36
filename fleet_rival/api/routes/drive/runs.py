"""Runs and their laps: declared, typed, timed by hand, looked through, put right."""

from typing import Any

from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed
from fleet_rival.api.blueprint import api, sessions
from fleet_rival.services.drive import clips
from fleet_rival.services.drive.runs import asked, declare, edit, fingers, moves, reactions, run_list, sheet
from fleet_rival.services.drive.runs.places import RunKey
from fleet_rival.wording.runs import letters

_runs = Tag(name="runs")
_RUN = "/sessions/<uuid:session_id>/drivers/<uuid:driver_id>/runs/<int:number>"


def _key(path: s.RunKeyPath) -> RunKey:
    return RunKey(path.session_id, path.driver_id, path.number)


@api.get("/combinations/<uuid:combination_id>/runs", responses={"200": s.DrivenOut}, tags=[_runs])
@allowed("drive.see")
def list_runs(path: s.CombinationPath) -> Any:
    """Everything that was driven in a combination, by session and run, and the runs that wait for their laps; a
    driver's own.
    """
    return s.validate(s.DrivenOut, run_list.driven(sessions(), actor(), path.combination_id))


@api.get(
    "/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/template",
    responses={"200": s.TemplateOut},
    tags=[_runs],
)
@allowed("drive.see")
def get_template(path: s.TemplatePath) -> Any:
    """What a driver's next run begins with: the last one."""
    return s.validate(s.TemplateOut, declare.template(sessions(), actor(), path.combination_id, path.driver_id))


@api.post("/combinations/<uuid:combination_id>/runs/check", responses={"200": s.Checks}, tags=[_runs])
@allowed("run.declare")
def check_run(path: s.CombinationPath, body: s.CheckWish) -> Any:
    """What to tick off before a run like this."""
    found = declare.checks(sessions(), actor(), path.combination_id, body.driver_id, body.context.model_dump())
    return s.validate(s.Checks, {"items": found})


@api.post("/combinations/<uuid:combination_id>/runs", responses={"201": s.RunOut}, tags=[_runs])
@allowed("run.declare")
def declare_run(path: s.CombinationPath, body: s.Declaration) -> Any:
    """Declare a run that starts now; a driver an own one."""
    made = declare.declare(
        sessions(), actor(), path.combination_id, body.driver_id, body.context.model_dump(), body.done
    )
    return s.validate(s.RunOut, made), 201


@api.put("/runs/<uuid:run_id>", responses={"200": s.RunOut}, tags=[_runs])
@allowed("run.change")
def change_run(path: s.RunPath, header: s.Version, body: s.RunContextForm) -> Any:
    """Say something else of a run, if it is still as it was looked at; its laps follow."""
    return s.validate(s.RunOut, declare.change_run(sessions(), actor(), path.run_id, header.number, body.model_dump()))


@api.delete("/runs/<uuid:run_id>", responses={"204": None}, tags=[_runs])
@allowed("run.remove")
def remove_run(path: s.RunPath) -> Any:
    """Forget what was declared of a run; its laps stay."""
    declare.remove_run(sessions(), actor(), path.run_id)
    return "", 204


@api.post("/combinations/<uuid:combination_id>/lanes", responses={"200": s.LaneOut}, tags=[_runs])
@allowed("run.begin")
def open_lane(path: s.CombinationPath, body: s.LaneWish) -> Any:
    """Where a driver's next laps go that are typed or timed by hand."""
    lane = fingers.begin(sessions(), actor(), path.combination_id, body.driver_id, body.guest, new_run=body.new_run)
    return s.validate(s.LaneOut, lane)


@api.get("/letters", responses={"200": s.Letters}, tags=[_runs])
@allowed("drive.see")
def list_letters() -> Any:
    """The letters behind a typed lap."""
    return s.validate(s.Letters, {"items": letters()})


@api.get(_RUN, responses={"200": s.RunSheetOut}, tags=[_runs])
@allowed("drive.see")
def get_run(path: s.RunKeyPath) -> Any:
    """A run with its laps, marks, remarks and context; a driver's own."""
    return s.validate(s.RunSheetOut, sheet.run_sheet(sessions(), actor(), _key(path)))


@api.put(_RUN + "/declaration", responses={"200": s.RunOut}, tags=[_runs])
@allowed("run.change")
def say_of_run(path: s.RunKeyPath, body: s.RunContextForm) -> Any:
    """Say what a run was whose laps arrived undeclared, or confirm what was supposed of it."""
    return s.validate(s.RunOut, declare.say_of_run(sessions(), actor(), _key(path), body.model_dump()))


@api.post(_RUN + "/laps", responses={"201": s.KeptLapOut}, tags=[_runs])
@allowed("laps.type")
def type_lap(path: s.RunKeyPath, body: s.TypedLine) -> Any:
    """Take down a typed lap; the same again is the same lap."""
    return s.validate(s.KeptLapOut, fingers.type_lap(sessions(), actor(), _key(path), body.number, body.line)), 201


@api.put(_RUN + "/laps/<int:lap>", responses={"200": s.KeptLapOut}, tags=[_runs])
@allowed("lap.mend")
def mend_lap(path: s.LapOfRunPath, header: s.Version, body: s.TypedMend) -> Any:
    """Write a typed lap anew, if it is still as it was looked at."""
    return s.validate(
        s.KeptLapOut, fingers.mend_typed(sessions(), actor(), _key(path), path.lap, header.number, body.line)
    )


@api.post(_RUN + "/timed-laps", responses={"201": s.KeptLapOut}, tags=[_runs])
@allowed("laps.time")
def time_lap(path: s.RunKeyPath, body: s.TimedLap) -> Any:
    """Take down a lap that was timed by hand, with how far it may be off."""
    return s.validate(
        s.KeptLapOut, fingers.time_lap(sessions(), actor(), _key(path), body.number, body.presses_us, body.ended_at)
    ), 201


@api.put(_RUN + "/marks", responses={"204": None}, tags=[_runs])
@allowed("lap.overrule")
def overrule_marks(path: s.RunKeyPath, body: s.MarksChange) -> Any:
    """Say which marks of laps stand, or turn round whether they count, if they are still as they were looked at."""
    if body.marks is None:
        edit.turn_laps(sessions(), actor(), _key(path), body.versions)
    else:
        edit.say_of_marks(
            sessions(), actor(), _key(path), body.versions, {str(mark): stands for mark, stands in body.marks.items()}
        )
    return "", 204


@api.patch(_RUN + "/laps", responses={"204": None}, tags=[_runs])
@allowed("lap.change")
def change_laps(path: s.RunKeyPath, body: s.LapsChange) -> Any:
    """Write facts of laps, of many at once, if they are still as they were looked at."""
    edit.change_laps(sessions(), actor(), _key(path), body.versions, body.facts.model_dump(exclude_unset=True))
    return "", 204


@api.put(_RUN + "/feel", responses={"204": None}, tags=[_runs])
@allowed("run.feel")
def write_feel(path: s.RunKeyPath, header: s.Version, body: s.Feel) -> Any:
    """Write how the car felt and what was measured on it after a run."""
    edit.write_feel(sessions(), actor(), _key(path), header.number, body.model_dump())
    return "", 204


@api.post(_RUN + "/laps/<int:lap>/remarks", responses={"201": s.RemarkMade}, tags=[_runs])
@allowed("lap.remark")
def add_remark(path: s.LapOfRunPath, body: s.RemarkWish) -> Any:
    """Say something of a lap after the run."""
    return s.validate(
        s.RemarkMade, {"id": edit.add_remark(sessions(), actor(), _key(path), path.lap, body.model_dump())}
    ), 201


@api.delete("/remarks/<uuid:remark_id>", responses={"204": None}, tags=[_runs])
@allowed("lap.remark")
def remove_remark(path: s.RemarkPath) -> Any:
    """Take a remark away; a driver an own one."""
    edit.remove_remark(sessions(), actor(), path.remark_id)
    return "", 204


@api.get("/combinations/<uuid:combination_id>/questions", responses={"200": s.AskedLaps}, tags=[_runs])
@allowed("drive.see")
def list_asked_laps(path: s.CombinationPath) -> Any:
    """What only people can know of laps, and nobody has said yet; of a driver's own."""
    return s.validate(s.AskedLaps, {"items": asked.asked_laps(sessions(), actor(), path.combination_id)})


@api.put(_RUN + "/laps/<int:lap>/answer", responses={"204": None}, tags=[_runs])
@allowed("lap.answer")
def answer_lap(path: s.LapOfRunPath, body: s.AnswerWish) -> Any:
    """Answer what is asked of a lap; a driver of the own laps."""
    asked.answer(sessions(), actor(), _key(path), path.lap, body.kind, body.answer, body.corner)
    return "", 204


@api.post("/sessions/<uuid:session_id>/merge", responses={"200": s.MovedOut}, tags=[_runs])
@allowed("session.merge")
def merge_sessions(path: s.PracticePath, body: s.MergeWish) -> Any:
    """Put the runs of another session into this one."""
    return s.validate(s.MovedOut, moves.merge_sessions(sessions(), actor(), path.session_id, body.other_id))


@api.post("/sessions/<uuid:session_id>/split", responses={"200": s.MovedOut}, tags=[_runs])
@allowed("session.split")
def split_session(path: s.PracticePath, body: s.SplitWish) -> Any:
    """Put some runs of a session into a new one."""
    runs = [moves.WhichRun(run.driver_id, run.number) for run in body.runs]
    return s.validate(s.MovedOut, moves.split_session(sessions(), actor(), path.session_id, runs, body.label))


@api.post("/sessions/<uuid:session_id>/move", responses={"200": s.MovedOut}, tags=[_runs])
@allowed("session.move")
def move_runs(path: s.PracticePath, body: s.MoveWish) -> Any:
    """Move runs of a session to the combination or the driver that they belong to."""
    runs = [moves.WhichRun(run.driver_id, run.number) for run in body.runs]
    return s.validate(
        s.MovedOut, moves.move_runs(sessions(), actor(), path.session_id, runs, body.combination_id, body.driver_id)
    )


@api.get("/combinations/<uuid:combination_id>/clip", responses={"200": s.ClipOut}, tags=[_runs])
@allowed("drive.see")
def get_clip(path: s.CombinationPath, query: s.ClipQuery) -> Any:
    """A simulated clip of somebody's screen, to practise hand timing on and to be measured by."""
    return s.validate(s.ClipOut, clips.clip(sessions(), actor(), path.combination_id, query.seed))


@api.get("/me/reaction", responses={"200": s.ReactionOut}, tags=[_runs])
@allowed("me.change")
def get_reaction() -> Any:
    """How the person presses a key when something crosses a line."""
    return s.validate(s.ReactionOut, reactions.reaction(sessions(), actor()))


@api.put("/me/reaction", responses={"200": s.ReactionOut}, tags=[_runs])
@allowed("me.change")
def measure_reaction(body: s.ReactionWish) -> Any:
    """Measure the person against the crossings of a clip, and keep it."""
    return s.validate(s.ReactionOut, reactions.remember_reaction(sessions(), actor(), body.truths_us, body.presses_us))
