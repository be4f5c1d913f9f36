"""Two runs, or two ways that were declared, side by side."""

from collections.abc import Iterable, Sequence
from dataclasses import asdict
from typing import Any
from uuid import UUID

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.analysis import grouped
from fleet_rival.core.laps.marks import judge
from fleet_rival.core.options import runs_with, what_else_changed
from fleet_rival.core.pace.runs import PaceRun, clean_runs
from fleet_rival.core.pace.versus import versus
from fleet_rival.db.tables import Combination, Driver, Layout
from fleet_rival.services.find.figures import may_see
from fleet_rival.services.find.look import asked_look
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.services.track.tracks import load_track
from fleet_rival.wording.pace import (
    versus_words,
)

__all__ = ["two_ways"]


def two_ways(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    driver_id: UUID,
    ways: tuple[str, str],
    laps: int,
    stops: int,
    stop_us: int,
    week_id: UUID | None = None,
    also: Iterable[str] = (),
) -> dict[str, Any]:
    """Two runs, or all runs driven with either of two labels, side by side.

    Args:
        ways: `run:SESSION:RUN` or `option:WHERE:LABEL`, each.
        laps: distance.
        week_id, also: as in `driver_pace`.

    Raises:
        Refused: no such run or label, or no clean lap in it.
    """
    may_see(sessions, actor, driver_id)
    look = asked_look(sessions, actor, combination_id, week_id, also)
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        driver = find_row(session, Driver, actor, driver_id, "driver")
        settings, track = (
            look.settings(row),
            load_track(session, session.get_one(Layout, row.layout_id), centreline=False),
        )
        judged = judge(track, look.laps(session, actor, row, [driver.id]), settings)
    if not judged:
        raise NotThere("This driver has no laps in this combination.")
    runs = clean_runs(judged, grouped(judged)[0][1], 1)
    chosen = [_way(runs, way) for way in ways]
    told = versus(chosen[0][1], chosen[1][1], laps, settings, stops=stops, stop_us=stop_us)
    names = (chosen[0][0], chosen[1][0])
    where = "lap" if all(way.startswith("option:lap:") for way in ways) else ""
    sides = [[lap for run in runs for lap in run.laps] for _, runs in chosen]
    # Each run has tyres of its own, and what they do over it is what is compared.
    bundle = [name for name in what_else_changed(sides[0], sides[1], where) if name != "tyre_set"]
    return {
        "names": list(names),
        "steps": [asdict(step) for step in told.steps],
        "crossing": told.crossing,
        "verdict": told.verdict,
        "difference": None if told.difference is None else asdict(told.difference),
        "totals": [None if item is None else asdict(item) for item in (told.first, told.second)],
        "words": versus_words(told, *names, bundle),
    }


def _way(runs: Sequence[PaceRun], way: str) -> tuple[str, list[PaceRun]]:
    kind, _, rest = way.partition(":")
    if kind == "run":
        label, _, number = rest.rpartition(":")
        found = [run for run in runs if run.session == label and str(run.run) == number]
        name = f"session {label}, run {number}"
    else:
        where, _, label = rest.partition(":")
        found = runs_with(runs, where, label)
        name = label
    if not found:
        raise Refused(f"There is no clean lap of {name or 'this'} in the driver's main group.")
    return name, found
