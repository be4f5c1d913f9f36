"""What moves one driver's laps: options and setups with their verdicts, where tyres fall off, and cold laps."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any, Final

from fleet_rival.core.analysis import DriverAnalysis
from fleet_rival.core.corners.references import depth_of, part_figures
from fleet_rival.core.ledger import booked_changes, group_effects, par_shares, proposals_of, trials_of
from fleet_rival.core.options import OptionTrial
from fleet_rival.core.pace.looks import setup_changes
from fleet_rival.core.pace.par import AgainstPar, Par
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Track
from fleet_rival.wording.pace import (
    eaters_words,
    falloff_by_part_words,
    proposal_words,
    setup_change_words,
    trial_words,
    verdict_words,
)

__all__ = ["what_moves"]

_BEST_OF: Final = 3
_DISTANCE: Final = 20
"""Laps, where neither the race nor a run that was driven both ways says how many."""


def what_moves(
    track: Track,
    driver: DriverAnalysis,
    pars: Mapping[str, tuple[Par | str, Mapping[str, Sequence[AgainstPar]]]],
    settings: Settings,
    race_laps: float | None,
) -> dict[str, Any]:
    """What was tried, where tyres fall off, and settings that the laps speak for: by the effects that the ledger
    books.

    Args:
        race_laps: how long the race is for this driver; None: nobody said.
    """
    depth = depth_of(track, driver.laps, driver.main.members)
    parts = driver.main.segments
    if depth == "sectors":
        parts = part_figures(track, driver.laps, driver.main.members, settings, depth)
    shares = par_shares(driver.laps, {session: par for session, (par, _) in pars.items()})
    found = group_effects(track, driver.laps, driver.main, parts, depth, shares)
    effects = None if isinstance(found, str) else found
    trials = trials_of(track, driver.laps, driver.main, effects, settings, _BEST_OF, race_laps)
    tyres = effects.tyres if effects is not None and len(effects.passes.codes) > 1 else None
    falloff = driver.main.falloff
    changes = setup_changes(falloff.runs, falloff.net) if falloff.net is not None else []
    return {
        "options": [_trial(trial) for trial in trials],
        "setup_changes": [
            {**asdict(change), "words": setup_change_words(change)} for change in booked_changes(changes, trials)
        ],
        "distance": _distance(trials, race_laps),
        "falloff_by_part": []
        if tyres is None
        else [
            {
                "code": code,
                "us_per_lap": round(value),
                "low_us": round(tyres.low_us[code]),
                "high_us": round(tyres.high_us[code]),
                "share": tyres.weights[code],
            }
            for code, value in tyres.us_per_lap.items()
        ],
        "falloff_by_part_words": falloff_by_part_words(tyres, effects.passes.base_us.tolist(), moved=bool(shares))
        if tyres and effects
        else None,
        "eaters": eaters_words(tyres.eaters(effects.passes.base_us.tolist())) if tyres and effects else None,
        "proposals": [{**asdict(item), "words": proposal_words(item)} for item in proposals_of(falloff, settings)],
    }


def _distance(trials: Sequence[OptionTrial], race_laps: float | None) -> int:
    """Over how many laps two ways to drive are compared, unless somebody asks for another distance."""
    told = (trial.race.laps for trial in trials if trial.race is not None and trial.race.laps)
    return next(told, round(race_laps) if race_laps else _DISTANCE)


def _trial(trial: OptionTrial) -> dict[str, Any]:
    assert trial.first is not None and trial.second is not None
    return {
        "where": trial.where,
        "sides": [asdict(side) for side in (trial.first, trial.second)],
        "switches": trial.switches,
        "shift": None if trial.shift is None else asdict(trial.shift),
        "p_value": trial.p_value,
        "race": verdict_words(trial, trial.race),
        "qualifying": verdict_words(trial, trial.qualifying),
        "winner_race": None if trial.race is None else trial.race.winner,
        "winner_qualifying": None if trial.qualifying is None else trial.qualifying.winner,
        "words": trial_words(trial),
        "by_segment": [{"code": code, **asdict(shift)} for code, shift in trial.by_segment.items()],
    }
