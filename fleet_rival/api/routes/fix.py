"""The corner clinic, exercises, and the card of three."""

from typing import Any

from flask_openapi3 import Tag

from fleet_rival.api import schemas as s
from fleet_rival.api.access import actor, allowed
from fleet_rival.api.blueprint import api, download, kept, sessions
from fleet_rival.services.drive.runs.places import RunKey
from fleet_rival.services.fix import accounts, audit, card, catalogue, clinic, mistake_card, say, setups, work
from fleet_rival.wording.mistakes import MISTAKE_WORDS

_fix = Tag(name="fix")
_WAY = "/sessions/<uuid:session_id>/drivers/<uuid:driver_id>/runs/<int:number>/laps/<int:lap>/passes/<corner>"


@api.get("/combinations/<uuid:combination_id>/clinic", responses={"200": s.TeamClinic}, tags=[_fix])
@allowed("fix.see")
def get_team_clinic(path: s.CombinationPath, query: s.OfWeek) -> Any:
    """Corners by drivers, by what they cost; a driver's own column."""
    return kept(*clinic.team_clinic(sessions(), actor(), path.combination_id, query.week, query.also))


@api.get(
    "/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/clinic",
    responses={"200": s.DriverClinic},
    tags=[_fix],
)
@allowed("fix.see")
def get_driver_clinic(path: s.DriverPath, query: s.OfWeek) -> Any:
    """One driver's standing losses and recurring mistakes."""
    return kept(*clinic.driver_clinic(sessions(), actor(), path.combination_id, path.driver_id, query.week, query.also))


@api.get(
    "/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/accounts",
    responses={"200": s.DriverAccountsOut},
    tags=[_fix],
)
@allowed("find.see")
def get_driver_accounts(path: s.DriverPath, query: s.OfWeek) -> Any:
    """What each lap's time of one driver is owed to, and everybody's average lap."""
    where = (path.combination_id, path.driver_id)
    return kept(*accounts.driver_accounts(sessions(), actor(), *where, query.week, query.also))


@api.get(
    "/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/accounts.csv",
    responses={"200": {"content": {"text/csv": {"schema": {"type": "string"}}}}},
    tags=[_fix],
)
@allowed("find.see")
def get_driver_accounts_csv(path: s.DriverPath, query: s.OfWeek) -> Any:
    """What each lap's time of one driver is owed to, as CSV."""
    where = (path.combination_id, path.driver_id)
    return download(
        accounts.accounts_csv(sessions(), actor(), *where, query.week, query.also), "text/csv", "accounts.csv"
    )


@api.get(
    "/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/mistakes/<corner>/<kind>",
    responses={"200": s.MistakePasses},
    tags=[_fix],
)
@allowed("fix.see")
def get_mistake_passes(path: s.MistakePath, query: s.OfWeek) -> Any:
    """The passes of one mistake over the driver's good pass."""
    where = (path.combination_id, path.driver_id, path.corner, path.kind)
    return s.validate(s.MistakePasses, mistake_card.mistake_passes(sessions(), actor(), *where, query.week, query.also))


@api.get(
    "/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/audit",
    responses={"200": s.ReferenceAudit},
    tags=[_fix],
)
@allowed("fix.see")
def get_reference_audit(path: s.DriverPath, query: s.OfWeek) -> Any:
    """How a driver's braking scatters, before and since references were confirmed."""
    found = audit.reference_audit(sessions(), actor(), path.combination_id, path.driver_id, query.week, query.also)
    return s.validate(s.ReferenceAudit, {"items": found})


@api.put(_WAY, responses={"204": None}, tags=[_fix])
@allowed("pass.correct")
def correct_pass(path: s.PassPath, body: s.CorrectionForm) -> Any:
    """Say what a pass was, over all rules; a driver of an own one."""
    key = RunKey(path.session_id, path.driver_id, path.number)
    say.correct(sessions(), actor(), key, path.lap, path.corner, body.model_dump())
    return "", 204


@api.delete(_WAY, responses={"204": None}, tags=[_fix])
@allowed("pass.correct")
def uncorrect_pass(path: s.PassPath) -> Any:
    """Let the rules speak of a pass again."""
    say.uncorrect(sessions(), actor(), RunKey(path.session_id, path.driver_id, path.number), path.lap, path.corner)
    return "", 204


@api.get("/exercises", responses={"200": s.ExercisesOut}, tags=[_fix])
@allowed("fix.see")
def list_exercises() -> Any:
    """The team's library of exercises."""
    return s.validate(
        s.ExercisesOut, {"items": catalogue.exercises(sessions(), actor()), "mistake_words": MISTAKE_WORDS}
    )


@api.put("/exercises", responses={"200": s.ExerciseOut}, tags=[_fix])
@allowed("exercise.change")
def change_exercise(body: s.ExerciseForm) -> Any:
    """Write an exercise, if it is still as it was looked at, or a new one."""
    return s.validate(
        s.ExerciseOut, catalogue.change_exercise(sessions(), actor(), body.code, body.version, body.model_dump())
    )


@api.delete("/exercises/<code>", responses={"204": None}, tags=[_fix])
@allowed("exercise.remove")
def remove_exercise(path: s.ExercisePath, header: s.Version) -> Any:
    """Take an exercise of the team's own away, or let one be as it ships."""
    catalogue.remove_exercise(sessions(), actor(), path.code, header.number)
    return "", 204


@api.get("/exercises/helped", responses={"200": s.WhatHelped}, tags=[_fix])
@allowed("fix.see")
def list_what_helped() -> Any:
    """What each exercise has brought so far; with names for who may see all."""
    return s.validate(s.WhatHelped, {"items": work.what_helped(sessions(), actor())})


@api.get("/combinations/<uuid:combination_id>/assignments", responses={"200": s.AssignmentsOut}, tags=[_fix])
@allowed("fix.see")
def list_assignments(path: s.CombinationPath) -> Any:
    """What drivers work on here, judged by their laps; a driver's own."""
    return s.validate(s.AssignmentsOut, {"items": work.assignments(sessions(), actor(), path.combination_id)})


@api.post(
    "/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/assignments",
    responses={"201": s.AssignmentsOut},
    tags=[_fix],
)
@allowed("exercise.assign")
def assign_exercise(path: s.DriverPath, body: s.AssignmentForm) -> Any:
    """Give a driver an exercise for a mistake."""
    work.assign(sessions(), actor(), path.combination_id, path.driver_id, body.corner, body.kind, body.exercise)
    return s.validate(
        s.AssignmentsOut, {"items": work.assignments(sessions(), actor(), path.combination_id, path.driver_id)}
    ), 201


@api.delete("/assignments/<uuid:assignment_id>", responses={"204": None}, tags=[_fix])
@allowed("exercise.end")
def end_assignment(path: s.AssignmentPath) -> Any:
    """End a driver's work on a mistake."""
    work.end_assignment(sessions(), actor(), path.assignment_id)
    return "", 204


@api.get(
    "/combinations/<uuid:combination_id>/drivers/<uuid:driver_id>/card", responses={"200": s.CardOfThree}, tags=[_fix]
)
@allowed("fix.see")
def get_card_of_three(path: s.DriverPath, query: s.OfWeek) -> Any:
    """A driver's card of three: sentences, references, exercises; and as plain text."""
    return s.validate(
        s.CardOfThree,
        card.card_of_three(sessions(), actor(), path.combination_id, path.driver_id, query.week, query.also),
    )


@api.get("/setups", responses={"200": s.SetupsOut}, tags=[_fix])
@allowed("fix.see")
def list_setups(query: s.SetupQuery) -> Any:
    """The team's setups, of one car or all."""
    return s.validate(s.SetupsOut, {"items": setups.setups(sessions(), actor(), query.car)})


@api.post("/setups", responses={"201": s.SetupMade}, tags=[_fix])
@allowed("setup.add")
def add_setup(body: s.NewSetup) -> Any:
    """Write a setup, from values or from a file."""
    return s.validate(
        s.SetupMade, {"id": setups.add_setup(sessions(), actor(), body.car_id, body.name, body.model_dump())}
    ), 201


@api.get("/setups/<uuid:setup_id>", responses={"200": s.SetupOut}, tags=[_fix])
@allowed("fix.see")
def get_setup(path: s.SetupPath) -> Any:
    """A setup with its versions."""
    return s.validate(s.SetupOut, setups.setup(sessions(), actor(), path.setup_id))


@api.post("/setups/<uuid:setup_id>/versions", responses={"201": s.SetupOut}, tags=[_fix])
@allowed("setup.change")
def add_setup_version(path: s.SetupPath, body: s.NewSetupVersion) -> Any:
    """Write another version, if nobody did meanwhile."""
    return s.validate(
        s.SetupOut, setups.add_version(sessions(), actor(), path.setup_id, body.latest, body.model_dump())
    ), 201


@api.delete("/setups/<uuid:setup_id>", responses={"204": None}, tags=[_fix])
@allowed("setup.remove")
def remove_setup(path: s.SetupPath, header: s.Version) -> Any:
    """Take a setup away; runs keep its name."""
    setups.remove_setup(sessions(), actor(), path.setup_id, header.number)
    return "", 204


@api.get("/setups/<uuid:setup_id>/difference", responses={"200": s.SetupDifferences}, tags=[_fix])
@allowed("fix.see")
def get_setup_difference(path: s.SetupPath, query: s.SetupDifferenceQuery) -> Any:
    """What differs between two versions."""
    found = setups.difference(sessions(), actor(), path.setup_id, query.first, query.second, query.other)
    return s.validate(s.SetupDifferences, {"items": found})


@api.get(
    "/setups/<uuid:setup_id>/file",
    responses={"200": {"content": {"text/csv": {}, "application/json": {}}}},
    tags=[_fix],
)
@allowed("fix.see")
def get_setup_file(path: s.SetupPath, query: s.SetupFileQuery) -> Any:
    """A version to take along, as CSV or JSON."""
    body, name = setups.file_of(sessions(), actor(), path.setup_id, query.number, query.form)
    return download(body, "text/csv" if query.form == "csv" else "application/json", name)


@api.get("/setups/<uuid:setup_id>/brought", responses={"200": s.BroughtOut}, tags=[_fix])
@allowed("fix.see")
def get_setup_brought(path: s.SetupPath) -> Any:
    """What its changes brought, driver by driver; a driver's own."""
    return s.validate(s.BroughtOut, {"items": setups.brought(sessions(), actor(), path.setup_id)})
