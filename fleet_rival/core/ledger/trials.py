"""What was tried, judged on one book: options lap by lap, setups as far as they are more than what runs differ by."""

from collections.abc import Sequence
from dataclasses import replace

from fleet_rival.core.analysis import GroupAnalysis
from fleet_rival.core.effects import Effects
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.ledger.accounts import told_setups
from fleet_rival.core.options import OptionTrial, Shift, Verdict, option_pairs, option_trial, runs_with
from fleet_rival.core.options.verdicts import equal_band_us, winner_of
from fleet_rival.core.pace.looks import SetupChange, is_hidden
from fleet_rival.core.pace.runs import clean_runs
from fleet_rival.core.pace.versus import longest_of_both, versus
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Track

__all__ = ["booked_changes", "trials_of"]


def trials_of(
    track: Track,
    judged: Sequence[JudgedLap],
    group: GroupAnalysis,
    effects: Effects | None,
    settings: Settings,
    best_of: int = 3,
    race_laps: float | None = None,
) -> list[OptionTrial]:
    """Verdicts on every pair that one driver tried.

    Args:
        judged: all laps of the driver, in order.
        effects: of the group: a setup is a few runs, and its laps aren't so many chances to be lucky.
        best_of: laps of qualifying.
        race_laps: distance of the race; None: as far as was driven both ways.
    """
    out = []
    for where, first, second in option_pairs(judged, group.members):
        by_runs = effects if where == "setup" else None
        trial = option_trial(
            track,
            judged,
            group.members,
            where,
            (first, second),
            settings,
            best_of=best_of,
            verdicts=by_runs is None,
        )
        if trial.first is None or trial.second is None:
            continue
        if by_runs is not None:
            trial = _by_runs(trial, judged, group, by_runs, settings)
        elif where == "lap":
            trial = _over_runs(trial, judged, group, settings, race_laps)
        out.append(trial)
    return out


def booked_changes(changes: Sequence[SetupChange], trials: Sequence[OptionTrial]) -> list[SetupChange]:
    """Changes of setup with what the book says of the two: worth, and how sure, is told once. What runs one after the
    other show may be the driver's learning as well.

    Args:
        changes: from one setup to the next, as the clock and the tyres' age tell.
        trials: of the same laps.
    """
    out = []
    for change in changes:
        signs = {(change.before, change.after): -1, (change.after, change.before): 1}
        found = next(
            (
                (trial, sign)
                for trial in trials
                if trial.where == "setup" and trial.first is not None and trial.second is not None
                if (sign := signs.get((trial.first.label, trial.second.label)))
            ),
            None,
        )
        trial, sign = found or (None, 0)
        if trial is None or trial.race is None:
            reason = (trial.reason if trial is not None else "") or "too few laps with one of them"
            out.append(replace(change, gain_us=None, low_us=None, high_us=None, hidden=False, reason=reason))
            continue
        shift = trial.race.shift
        gain = sign * shift.value_us
        low, high = sorted((sign * shift.low_us, sign * shift.high_us))
        hidden = is_hidden(change.raw_us, gain, low, high)
        out.append(replace(change, gain_us=gain, low_us=low, high_us=high, hidden=hidden))
    return out


def _over_runs(
    trial: OptionTrial, judged: Sequence[JudgedLap], group: GroupAnalysis, settings: Settings, race_laps: float | None
) -> OptionTrial:
    """A trial of two ways to drive whole laps: for the race it is projected over the distance by both tyre curves, as
    far as there are runs to tell. A lap that saves is slower by itself, and that is not what was asked.
    """
    assert trial.first is not None and trial.second is not None
    runs = clean_runs(judged, group.members, 1)
    ways = [runs_with(runs, trial.where, side.label) for side in (trial.first, trial.second)]
    if not all(ways):
        return trial
    over = versus(ways[0], ways[1], round(race_laps) if race_laps else longest_of_both(*ways), settings)
    if over.difference is None or over.verdict is None:
        return trial
    each = [value / over.laps for value in (over.difference.total_us, over.difference.low_us, over.difference.high_us)]
    safer = min((trial.first, trial.second), key=lambda side: (side.failed / side.n, side.spread_us)).label
    return replace(trial, race=Verdict(over.verdict, Shift(*each), safer, laps=over.laps))


def _by_runs(
    trial: OptionTrial, judged: Sequence[JudgedLap], group: GroupAnalysis, effects: Effects, settings: Settings
) -> OptionTrial:
    """A trial of two setups by their runs; whose order and setups can't be told apart stays without a verdict."""
    assert trial.first is not None and trial.second is not None
    if trial.reason:
        return trial
    setups, why_not = told_setups(effects)
    found = setups.of_lap(trial.first.label, trial.second.label) if setups is not None else None
    if found is None:
        return replace(trial, reason=why_not or "too few passes with one of them")
    shift = Shift(*found)
    winner = winner_of(shift, equal_band_us(judged, group.members, settings))
    sides = (trial.first, trial.second)
    safer = min(sides, key=lambda side: (side.failed / side.n, side.spread_us)).label
    verdict = Verdict(winner, shift, safer)
    return replace(trial, shift=shift, race=verdict, qualifying=verdict, reason="")
