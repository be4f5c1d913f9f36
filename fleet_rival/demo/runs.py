"""What the demo's people said of their runs: how the car felt, what was read off it, remarks, exercises, and a run
that waits for its laps.
"""

from typing import Any, Final

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.services.drive.runs import declare, edit, run_list, sheet
from fleet_rival.services.drive.runs.places import RunKey
from fleet_rival.services.fix import work
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.week import combinations

__all__ = ["load_runs"]

_LAYOUT, _CAR = "Fishmarket", "Wrenfield EC-2"
_TOLD_BY: Final = "Ysolde Farrand"
_WAITS: Final = "Corin Ashgrove"
_FEEL: Final[dict[str, Any]] = {
    "handling": {
        "slow": {"entry": -1, "middle": -2, "exit": 1},
        "fast": {"entry": 0, "middle": 0, "exit": None},
        "small_lift": "calm",
        "small_throttle": "abrupt",
    },
    "readings": [
        {
            "when": "after lap 14",
            "how": "garage",
            "tread_pct": {"front_left": 84.0, "front_right": 81.5, "rear_left": 88.0, "rear_right": 86.5},
            "hot_pressure_kpa": {"front_left": 182.0, "front_right": 184.0, "rear_left": 176.0, "rear_right": 177.0},
            "track_temp_c": 28.0,
            "air_temp_c": 21.0,
            "fuel_left_l": None,
        }
    ],
    "note": "Pushes more from lap 9 on; helped by a later turn-in.",
}
_REMARKS: Final[tuple[tuple[int, dict[str, Any]], ...]] = (
    (5, {"corner": "T6", "kind": "wide-exit", "text": "picked up before the second lantern"}),
    (9, {"corner": None, "kind": None, "because": None, "text": "talked to the pit wall at the hairpin"}),
)
"""Place of the lap in the run, and what was said of it."""
_GIVEN: Final = (("Corin Ashgrove", "T3", "early-brake"), ("Teodora Wick", "T5", "wide-exit"))
"""Exercises that the coach gave before the last evening."""


def load_runs(sessions: sessionmaker[Session], coach: Actor, driver: Actor) -> None:
    """Write it down, the way it would be after an evening's practice.

    Args:
        driver: who tells of the own run.
    """
    combination = next(
        item for item in combinations.combinations(sessions, coach) if (item.layout, item.car) == (_LAYOUT, _CAR)
    )
    last = run_list.driven(sessions, coach, combination.id).sessions[0]
    told = [run for run in last.runs if run.driver == _TOLD_BY][-1]
    key = RunKey(last.practice.id, told.driver_id, told.number)
    edit.write_feel(sessions, driver, key, 0, _FEEL)
    laps = sheet.run_sheet(sessions, driver, key).laps
    for place, values in _REMARKS:
        edit.add_remark(sessions, driver, key, laps[place].number, values)
    waiting = next(run.driver_id for run in last.runs if run.driver == _WAITS)
    begins = declare.template(sessions, coach, combination.id, waiting).context
    context = {
        **begins,
        "purpose": "trial",
        "tyre_set": "4-1",
        "tyre_age": 0.0,
        "official": True,
        "options": "T6 = second gear",
        "watch": ["the lantern at T6", "hands quiet over the tram rails"],
    }
    checks = declare.checks(sessions, coach, combination.id, waiting, context)
    declare.declare(
        sessions, coach, combination.id, waiting, context, [item.key for item in checks if item.key != "official"]
    )
    begun = min(run.first_at for run in last.runs if run.first_at is not None)
    for driver_name, corner, kind in _GIVEN:
        given = next(run.driver_id for run in last.runs if run.driver == driver_name)
        work.assign(sessions, coach, combination.id, given, corner, kind, kind, begun)
