"""Figures to take along: every view's, as CSV or as JSON, and a driver's as a text for a chat or as two pages of
paper.
"""

import json
from collections.abc import Iterable, Mapping
from typing import Any
from uuid import UUID

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.formats.figures_export import flat, write_figures
from fleet_rival.services.find.beside import beside
from fleet_rival.services.find.figures import driver_laps, summary
from fleet_rival.services.find.pace import driver_pace
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.services.week.combinations import combination
from fleet_rival.wording.driver_report import DriverReport, report_lines

__all__ = ["driver_report_of", "driver_text", "figures_csv", "figures_json", "versus_csv"]


def figures_json(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    what: str,
    driver_id: UUID | None,
    week_id: UUID | None = None,
    also: Iterable[str] = (),
) -> bytes:
    """A view's figures as the view gets them.

    Args:
        what: after `WHAT`.
        driver_id: whose, where they are of one driver.
        week_id, also: as in `find.summary`.

    Raises:
        NotThere: no such combination or driver, or not the actor's business.
        Refused: no driver was named where one is needed.
    """
    if what == "drivers":
        return summary(sessions, actor, combination_id, week_id, also)[0]
    if what == "beside":
        return beside(sessions, actor, combination_id, week_id, also)[0]
    if driver_id is None:
        raise Refused("Say whose figures are wanted.")
    read = driver_laps if what == "laps" else driver_pace
    return read(sessions, actor, combination_id, driver_id, week_id, also)[0]


def figures_csv(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    what: str,
    driver_id: UUID | None,
    week_id: UUID | None = None,
    also: Iterable[str] = (),
) -> bytes:
    """The same figures as a table: a row for each driver, lap, figure, or part and driver. Arguments and errors as
    in `figures_json`.
    """
    told = json.loads(figures_json(sessions, actor, combination_id, what, driver_id, week_id, also))
    rows = {"drivers": _driver_rows, "laps": _lap_rows, "pace": _pace_rows, "beside": _beside_rows}[what]
    return write_figures(rows(told), ("driver",))


def versus_csv(told: Mapping[str, Any]) -> bytes:
    """Two ways lap by lap, as a table.

    Args:
        told: what `pace.two_ways` returns.
    """
    first, second = told["names"]
    rows = [
        {
            "lap": step["lap"],
            **flat(
                {
                    f"{first}, total_us": step["first_us"],
                    f"{second}, total_us": step["second_us"],
                    "behind_us": step["behind_us"],
                }
            ),
        }
        for step in told["steps"]
    ]
    return write_figures(rows, ("lap",))


def _driver_rows(told: Mapping[str, Any]) -> list[dict[str, Any]]:
    out = []
    for driver in told["drivers"]:
        figures = driver["figures"]
        best_of = {
            f"best_of.{item['laps']}": {key: value for key, value in item.items() if key != "laps"}
            for item in figures["best_of"] or ()
        }
        segments = {f"segments.{code}": part for code, part in driver["segments"].items()}
        out.append(
            {"driver": driver["name"], "guest": driver["guest"], **flat(figures), **flat(best_of), **flat(segments)}
        )
    return out


def _lap_rows(told: Mapping[str, Any]) -> list[dict[str, Any]]:
    out = []
    for group in told["groups"]:
        codes = [part["code"] for part in group["parts"]]
        for lap in group["laps"]:
            own = {
                name: lap[name]
                for name in ("session", "run", "lap", "time_us", "started_at", "clean", "track_temp_c", "setup", "note")
            }
            joined = {name: " ".join(lap[name]) for name in ("marks", "strikes", "incidents")}
            times = {f"{code}_us": value for code, value in zip(codes, lap["times_us"], strict=True)}
            losses = {f"{code}_loss_us": value for code, value in zip(codes, lap["losses_us"], strict=True)}
            out.append(
                {"driver": told["name"], **flat(group["group"]), **flat(own), **joined, **flat(times), **flat(losses)}
            )
    return out


def _pace_rows(told: Mapping[str, Any]) -> list[dict[str, Any]]:
    """One row a figure: `table`, `row`, `figure`, `value`."""
    out: list[dict[str, Any]] = []

    def add(table: str, row: str, values: Mapping[str, Any]) -> None:
        out.extend(
            {"driver": told["name"], "table": table, "row": row, "figure": name, "value": value}
            for name, value in flat(values).items()
        )

    figures = told["figures"]
    add(
        "figures",
        "",
        {
            **{key: figures[key] for key in ("group", "sure", "laps", "best_us", "consistency")},
            "target_us": told["target_us"],
        },
    )
    for item in figures["best_of"] or ():
        add("best_of", str(item["laps"]), item)
    for item in told["odds"] or ():
        add("odds", str(item["laps"]), item)
    add("falloff", "", told["falloff"] or {})
    for run in told["runs"]:
        name = f"session {run['session']}, run {run['run']}"
        add("runs", name, {**run, "session_id": None})
        for lap in run["laps"]:
            add("laps", f"{name}, lap {lap['lap']}", {**lap, "marks": " ".join(lap["marks"])})
    for item in told["by_lap_of_run"]:
        add("by_lap_of_run", str(item["lap"]), item)
    for item in told["learning"]["points"]:
        add("learning", f"{item['laps_done']:g}", item)
    for wheel in told["wheels"]:
        add("wear", wheel["wheel"], wheel)
    for change in told["setup_changes"]:
        add("setup_changes", change["after"], change)
    for option in told["options"]:
        add("options", option["where"], option)
        for side in option["sides"]:
            add("options", f"{option['where']}={side['label']}", side)
    return out


def _beside_rows(told: Mapping[str, Any]) -> list[dict[str, Any]]:
    return [
        {
            "driver": driver["name"],
            "part": part["code"],
            "name": part["name"],
            "owner": part["owner"],
            **flat({"best_us": part["best_us"], **cell}),
        }
        for part in told["parts"]
        for driver, cell in zip(told["drivers"], part["cells"], strict=True)
        if cell is not None
    ]


def driver_report_of(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    driver_id: UUID,
    week_id: UUID | None = None,
    also: Iterable[str] = (),
) -> DriverReport:
    """What a driver's report is made of: the answers of the views, so that the numbers are the same. Arguments and
    errors as in `figures_json`.
    """
    also = tuple(also)
    pace = json.loads(driver_pace(sessions, actor, combination_id, driver_id, week_id, also)[0])
    whole = json.loads(summary(sessions, actor, combination_id, week_id, also)[0])
    own = next((item for item in whole["drivers"] if item["id"] == str(driver_id)), None)
    if own is None:
        raise NotThere("This driver has no laps in this combination.")
    place = combination(sessions, actor, combination_id)
    names = {segment["code"]: segment["name"] for segment in whole["segments"]}
    return DriverReport(own["name"], f"{place.track}, {place.layout}", place.car, names, own, pace, also)


def driver_text(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    driver_id: UUID,
    week_id: UUID | None = None,
    also: Iterable[str] = (),
) -> str:
    """A driver's figures in at most 15 lines. Arguments and errors as in `figures_json`."""
    return "\n".join(report_lines(driver_report_of(sessions, actor, combination_id, driver_id, week_id, also))) + "\n"
