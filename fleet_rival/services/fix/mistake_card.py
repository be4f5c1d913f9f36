"""One mistake of a driver with its passes, and what a pass of it looks like."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Final
from uuid import UUID

import numpy as np
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.analysis import DriverAnalysis
from fleet_rival.core.corners.clinic import Clinic, comparison_of
from fleet_rival.core.corners.compare import Comparison
from fleet_rival.core.corners.kinds import PHASE_OF, loss_begins_m, phase_losses
from fleet_rival.core.corners.recurring import Mistake
from fleet_rival.core.corners.slips import Slip
from fleet_rival.core.corners.when import Trend, trend_of, when_of
from fleet_rival.db.tables import Combination
from fleet_rival.services.find.figures import may_see
from fleet_rival.services.find.look import asked_look
from fleet_rival.services.fix.passes import LookedThrough, look_through
from fleet_rival.services.shared.base import Actor, find_row
from fleet_rival.services.shared.errors import NotThere
from fleet_rival.wording.clinic import (
    PHASE_WORDS,
    evidence,
    mistake_words,
    rate_words,
    trend_words,
    when_words,
)
from fleet_rival.wording.mistakes import MISTAKE_WORDS

__all__ = ["MOST_PASSES", "counted_passes", "mistake_passes", "mistake_told"]

MOST_PASSES: Final = 12
"""Passes of a mistake that are laid beside each other, the latest ones."""


def counted_passes(clinic: Clinic, item: Mistake) -> list[int]:
    """Laps whose way through a mistake's corner is a pass; where the corner has none, those with a slip."""
    figures = clinic.parts.get(item.corner)
    return sorted(figures.passes if figures else {slip.lap for slip in item.slips})


def mistake_told(
    found: LookedThrough,
    driver: DriverAnalysis,
    clinic: Clinic,
    item: Mistake,
    names: Mapping[str, str | None],
    race_laps: float | None,
    trend: Trend | None = None,
) -> dict[str, Any]:
    """A mistake on warm tyres with its trend, or one on cold ones, of which only the slips are known."""
    cold = trend is None
    if trend is None:
        trend = trend_of(item, sorted({slip.lap for slip in item.slips}), driver.laps, found.settings)
    return {
        "corner": item.corner,
        "name": names.get(item.corner),
        "kind": item.kind,
        "title": MISTAKE_WORDS[item.kind],
        "phase": PHASE_OF.get(item.kind),
        "words": mistake_words(item, names, race_laps),
        "rate_words": rate_words(len(item.slips), item.passes),
        "evidence": evidence(item.typical.cause, item.typical.source),
        "source": item.source,
        "occurrences": len(item.slips),
        "passes": item.passes,
        "runs": item.runs,
        "rate": item.rate,
        "rate_low": item.rate_low,
        "rate_high": item.rate_high,
        "mean_loss_us": round(item.mean_loss_us),
        "knock_on_us": round(item.knock_on_us),
        "cost_us": round(item.cost_us),
        "race_us": round(item.cost_us * race_laps) if race_laps else None,
        "recurring": item.recurring,
        "sure": item.sure(clinic.parts.get(item.corner)),
        "when": [] if cold else when_words(when_of(item, counted_passes(clinic, item), clinic.slips, driver.laps)),
        "trend": _trend(trend),
        "slips": [_slip(found, driver, slip) for slip in item.slips],
    }


def _trend(trend: Trend) -> dict[str, Any]:
    return {
        "words": trend_words(trend),
        "closed": trend.closed,
        "returned": trend.returned,
        "chance": trend.chance,
        "falls": trend.falls,
        "runs": [
            {"session": rate.session, "run": rate.run, "passes": rate.passes, "slips": rate.slips}
            for rate in trend.runs
        ],
    }


def _slip(found: LookedThrough, driver: DriverAnalysis, slip: Slip) -> dict[str, Any]:
    lap = driver.laps[slip.lap].lap
    session_id = found.session_ids[lap.session]
    return {
        "session": lap.session,
        "session_id": session_id,
        "run": lap.run,
        "lap": lap.number,
        "key": f"{session_id}:{found.ids[driver.name]}:{lap.run}:{lap.number}",
        "at": slip.corner,
        "loss_us": slip.loss_us,
        "knock_on_us": round(slip.knock_on_us),
        "kind": slip.kind,
        "rule_kind": slip.rule_kind,
        "source": slip.source,
        "evidence": evidence(slip.cause, slip.source),
        "remark": slip.remark,
        "traced": slip.lap in found.curves[driver.name]
        if found.curves[driver.name].keys_of_traces.get(slip.lap)
        else False,
        "corrected": (lap.session, lap.run, lap.number, slip.corner) in found.said[driver.name].passes
        if driver.name in found.said
        else False,
    }


def mistake_passes(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    driver_id: UUID,
    corner: str,
    kind: str,
    week_id: UUID | None = None,
    also: Iterable[str] = (),
) -> dict[str, Any]:
    """The passes of one mistake over the good pass, for pictures side by side.

    Raises:
        NotThere: no such driver, corner, or mistake; or not the actor's business.
    """
    may_see(sessions, actor, driver_id)
    look = asked_look(sessions, actor, combination_id, week_id, also)
    with sessions() as session:
        row = find_row(session, Combination, actor, combination_id, "combination")
        found = look_through(sessions, look, session, actor, row)
    name = next((name for name, key in found.ids.items() if key == str(driver_id) and name in found.clinics), None)
    if name is None:
        raise NotThere("This driver has no laps in this combination.")
    driver, clinic = found.analysis.drivers[name], found.clinics[name].main
    slips = [slip for slip in (*clinic.slips, *clinic.cold) if slip.cause_corner == corner and slip.kind == kind]
    figures = clinic.parts.get(corner)
    if figures is None or not slips:
        raise NotThere(f"Nothing like this was found at {corner}: laps or marks changed meanwhile.")
    mine = set(driver.main.members)
    curves = {index: item for index, item in found.curves[name].items() if index in mine}
    comparison = comparison_of(found.track, corner, driver.laps, figures, curves, found.settings)
    if comparison is None:
        return {"corner": corner, "kind": kind, "at_m": [], "good": {}, "marks": None, "passes": []}
    return {"corner": corner, "kind": kind, **_side_by_side(found, driver, slips, sorted(curves), comparison)}


def _side_by_side(
    found: LookedThrough,
    driver: DriverAnalysis,
    slips: Sequence[Slip],
    traced: Sequence[int],
    comparison: Comparison,
) -> dict[str, Any]:
    """The last passes that can be shown, over the good one.

    Args:
        traced: positions of the laps that were laid over it, in order.
    """
    rows = {lap: place for place, lap in enumerate(traced)}
    shown = [slip for slip in slips if slip.lap in rows and comparison.usable[rows[slip.lap]]][-MOST_PASSES:]
    at = comparison.at_m
    inside = (at >= comparison.road.start_m - 45) & (at <= comparison.road.end_m)
    channels = [item for item in ("speed_kmh", "brake_pct", "throttle_pct", "steering_deg") if item in comparison.good]

    def plain(values: np.ndarray) -> list[float | None]:
        return [round(float(value), 1) if np.isfinite(value) else None for value in values[inside]]

    marks = comparison.marks
    return {
        "at_m": [round(float(place), 1) for place in at[inside]],
        "good": {item: plain(comparison.good[item]) for item in channels},
        "marks": {
            "start_m": comparison.road.start_m,
            "end_m": comparison.road.end_m,
            "brake_m": float(at[marks.brake]) if marks.brake is not None else None,
            "slowest_m": float(at[marks.slow]),
            "pick_up_m": float(at[marks.pick_up]) if marks.pick_up is not None else None,
        },
        "passes": [
            {
                **_slip(found, driver, slip),
                "begins_m": loss_begins_m(comparison, rows[slip.lap]),
                "phases": [
                    {"phase": phase, "words": PHASE_WORDS[phase], "loss_us": round(lost * 1e6)}
                    for phase, lost in phase_losses(comparison, rows[slip.lap]).items()
                ],
                "channels": {item: plain(comparison.passes[item][rows[slip.lap]]) for item in channels},
            }
            for slip in shown
        ],
    }
