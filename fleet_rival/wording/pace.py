"""Words about pace, scatter and options: plain sentences with the number in them."""

from collections.abc import Sequence
from typing import Final

from fleet_rival.core.consistency import Consistency
from fleet_rival.core.corners.beside import Pair
from fleet_rival.core.effects import Tyres
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.ledger import Proposal
from fleet_rival.core.options import OptionTrial, Verdict
from fleet_rival.core.pace.falloff import Falloff
from fleet_rival.core.pace.learning import LearningCurve
from fleet_rival.core.pace.looks import SetupChange
from fleet_rival.core.pace.versus import Versus
from fleet_rival.core.times import MICROSECONDS, format_time

__all__ = [
    "SHARE_MEANING",
    "eaters_words",
    "falloff_by_part_words",
    "falloff_words",
    "learning_words",
    "pair_words",
    "par_words",
    "part_eats_words",
    "proposal_words",
    "setup_change_words",
    "setup_trial_words",
    "share_words",
    "surer_words",
    "team_eaters_words",
    "trial_words",
    "verdict_words",
    "versus_words",
]

_MORE_THAN_A_WEEK: Final = 400
"""Laps that nobody drives in one combination before the race."""
_MOST_EATERS: Final = 3
SHARE_MEANING: Final = "A negative share: there the driver pays back, the part tends to be fast when the lap is slow."


def _seconds(value_us: float, decimals: int = 2) -> str:
    return f"{abs(value_us) / MICROSECONDS:.{decimals}f} s"


def _share(value: float) -> str:
    return f"{value * 100:.0f} %".replace("-", "−")


def _signed(value_us: float, decimals: int = 3) -> str:
    return f"{value_us / MICROSECONDS:+.{decimals}f}".replace("-", "−")


def surer_words(clean: int, thin_below: int, firm_from: int) -> str:
    """How sure figures are, and what would make them surer."""
    laps = f"{clean} clean {'lap' if clean == 1 else 'laps'}"
    if clean >= firm_from:
        return f"Firm: {laps}."
    if clean >= thin_below:
        return f"Likely: {laps}; {firm_from - clean} more make it firm."
    return f"Thin: {laps}; {thin_below - clean} more make it likely."


def falloff_words(falloff: Falloff) -> list[str]:
    """What laps of a run cost, and from where on more."""
    net = falloff.net
    if net is None:
        return [f"Falloff can't be told: {falloff.reasons['us_per_lap']}."]
    runs = f"{net.n} laps in {net.runs} {'run' if net.runs == 1 else 'runs'}"
    if net.low > 0:
        said = [
            f"Each further lap costs {_seconds(net.value, 3)} ({_seconds(net.low, 3)} to {_seconds(net.high, 3)}), "
            f"told by {runs}."
        ]
    elif net.high < 0:
        said = [
            f"Each further lap is {_seconds(net.value, 3)} faster ({_seconds(net.high, 3)} to {_seconds(net.low, 3)}), "
            f"told by {runs}."
        ]
    else:
        said = [
            f"No falloff to be told apart from none: {_signed(net.value, 3)} s a lap "
            f"({_signed(net.low, 3)} to {_signed(net.high, 3)}), told by {runs}."
        ]
    if falloff.tyre_us_per_lap is not None and falloff.tyre_low_us is not None and falloff.tyre_high_us is not None:
        low, high = falloff.tyre_low_us, falloff.tyre_high_us
        said.append(
            f"The tyres' part of it is {_signed(falloff.tyre_us_per_lap, 3)} s a lap ({_signed(low, 3)} to "
            f"{_signed(high, 3)})."
        )
    else:
        said.append(f"The tyres' part can't be told: {falloff.reasons['tyre_us_per_lap']}.")
    if falloff.cliff is not None:
        cliff = falloff.cliff
        where = f"a tyre age of {cliff.at:.0f} laps" if cliff.by == "tyre_age" else f"lap {cliff.at:.0f} of the run"
        said.append(
            f"A cliff at {where}: from there {_seconds(cliff.after_us, 3)} a lap instead of "
            f"{_signed(cliff.before_us, 3)}."
        )
    return said


def falloff_by_part_words(tyres: Tyres, base_us: Sequence[float], *, moved: bool) -> str:
    """Which corners eat the tyre: those that lose more than their share of the lap, whatever of it is chance.

    Args:
        base_us: what each part takes, in their order.
        moved: whether the track moved too; its part is taken out then.
    """
    net = tyres.net
    without = (
        ""
        if net is None or not moved
        else (
            f"With the track's part taken out each further lap costs {_signed(net.value)} s ({_signed(net.low)} to "
            f"{_signed(net.high)}). "
        )
    )
    told = _eaters(tyres.eaters(base_us))
    where = f"It shows most at {told}." if told else "It shows alike all round the lap."
    return f"{without}{where}"


def _eaters(eaters: Sequence[tuple[str, float]]) -> str:
    return ", ".join(f"{code} ({_share(share)} of it)" for code, share in eaters[:_MOST_EATERS])


def eaters_words(eaters: Sequence[tuple[str, float]]) -> str | None:
    """Where the tyres go, for who has to spare them; None where they go alike all round the lap.

    Args:
        eaters: after `Tyres.eaters`.
    """
    return f"The tyres fall off most at {_eaters(eaters)}: that is where to spare them." if eaters else None


def team_eaters_words(eaters: Sequence[tuple[str, float]], drivers: int) -> str:
    """Where tyres fall off, told by so many drivers; or that nobody's laps tell it.

    Args:
        eaters: after `Tyres.eaters`.
    """
    if not drivers:
        return "Nobody’s laps tell yet which corners eat tyres: that takes longer runs in which falloff can be told."
    by = "one driver’s" if drivers == 1 else f"{drivers} drivers’"
    where = f"most at {_eaters(eaters)}" if eaters else "alike all round the lap"
    return f"By {by} laps tyres fall off {where}."


def part_eats_words(tyres: Tyres, code: str, of_lap: float, *, eats: bool) -> str:
    """What tyres do in one part.

    Args:
        of_lap: the part's share of the lap.
        eats: whether it is among `Tyres.eaters`.
    """
    value, low, high = tyres.us_per_lap[code], tyres.low_us[code], tyres.high_us[code]
    if low <= 0:
        return f"No falloff told apart from none: {_signed(value)} s a lap ({_signed(low)} to {_signed(high)})."
    cost = f"A further lap costs {_seconds(value, 3)} here ({low / MICROSECONDS:.3f} to {high / MICROSECONDS:.3f})"
    verdict = ". This corner eats tyres: spare them here" if eats else ""
    return f"{cost}, {_share(tyres.weights[code])} of the falloff on {_share(of_lap)} of the lap{verdict}."


def proposal_words(proposal: Proposal) -> str:
    """What the laps speak for, and why."""
    why = f"{proposal.why[:1].upper()}{proposal.why[1:]}"
    return f"{why}: tyres are ready after {proposal.value} laps. The falloff leaves them out already."


def learning_words(curve: LearningCurve, target_us: int | None) -> str:
    """Where the run medians go, and how many laps remain."""
    if curve.floor_us is None:
        return f"{curve.reason[:1].upper()}{curve.reason[1:]}."
    levels = f"The run medians come down towards {format_time(round(curve.floor_us))}"
    if target_us is None:
        return f"{levels}."
    target = format_time(target_us)
    if curve.remain == 0:
        return f"{levels}; the target of {target} is reached."
    if curve.remain is not None and curve.remain > _MORE_THAN_A_WEEK:
        laps = f"some {curve.remain // 100 * 100:,} more laps"
        return f"{levels}; a median of {target} by practice alone would take {laps}: look for what else costs time."
    if curve.remain is not None:
        return f"{levels}; about {curve.remain} more laps to a median of {target}."
    return f"{levels}; the target of {target}: {curve.reason}."


def share_words(figures: Consistency) -> list[str]:
    """Where the scatter comes from, and what a negative share means."""
    if not figures.share:
        return []
    ordered = sorted(figures.share.items(), key=lambda item: -item[1].value)
    most = [f"{code} ({_share(share.value)})" for code, share in ordered[:3] if share.value >= 0.05]
    said = [f"Most of the scatter comes from {', '.join(most)}."] if most else []
    back = [code for code, share in ordered if share.high is not None and share.high < 0]
    if back:
        said.append(f"In {', '.join(back)} the driver pays back: when the lap is slow, this part tends to be fast.")
    return said


def setup_change_words(change: SetupChange) -> str:
    """What a change brought at equal tyre age, and what the clock says."""
    by_clock = (
        "as fast as before"
        if abs(change.raw_us) < 500
        else f"{_seconds(change.raw_us)} {'slower' if change.raw_us > 0 else 'faster'}"
    )
    ages = f"tyres of {change.age_after:.0f} laps instead of {change.age_before:.0f}"
    told = f"{change.after} after {change.before}: {by_clock} by the clock, on {ages}"
    if change.gain_us is None or change.low_us is None or change.high_us is None:
        return f"{told}. How much of it is the setup can't be told: {change.reason}."
    head = ""
    if change.low_us > 0:
        worth, head = f"worth {_seconds(change.gain_us)} a lap", "Better than it looks: "
    elif change.high_us < 0:
        worth, head = f"{_seconds(change.gain_us)} a lap slower", "Worse than it looks: "
    else:
        worth = "no difference that can be told"
    between = f"{_signed(change.low_us)} to {_signed(change.high_us)} s"
    return f"{head if change.hidden else ''}{told}; with all else taken out {worth} ({between})."


def setup_trial_words(before: str, after: str, verdict: str) -> str:
    """Two setups that were tried, with what came of it.

    Args:
        verdict: after `verdict_words`.
    """
    return f"{before} or {after}? {verdict}"


def versus_words(told: Versus, first: str, second: str, bundle: Sequence[str] = ()) -> list[str]:
    """Where one gets ahead of the other, and what it comes to over the distance.

    Args:
        bundle: what else isn't the same on both sides.
    """
    said = []
    if told.steps:
        last = told.steps[-1]
        ahead, behind = (first, second) if last.behind_us > 0 else (second, first)
        if told.crossing is not None:
            said.append(f"{ahead} gets ahead of {behind} on lap {told.crossing} of the run and stays there.")
        said.append(f"After {len(told.steps)} laps that both have, {ahead} is {_seconds(last.behind_us)} ahead.")
    if told.verdict is None or told.difference is None:
        said.append(f"No projection: {told.reason}.")
    elif told.verdict in ("equal", "not_yet"):
        low, high = told.difference.low_us, told.difference.high_us
        what = "Equal for practical purposes" if told.verdict == "equal" else "Not yet"
        said.append(
            f"{what}: over {told.laps} laps {second} less {first} lies between {_signed(low, 1)} and "
            f"{_signed(high, 1)} s."
        )
    else:
        faster, slower = (first, second) if told.verdict == "first" else (second, first)
        said.append(f"Over {told.laps} laps {faster} is {_seconds(told.difference.total_us, 1)} ahead of {slower}.")
    if bundle:
        said.append(_bundle_words(bundle))
    return said


def par_words(shares: Sequence[float], best: Lap, behind_us: float, no_slower: int) -> list[str]:
    """How the track moved, which lap was the best for its minute, and which were called spoiled though all were slow
    then.

    Args:
        shares: par over the session, as shares of everybody's own level.
        best: the lap that lies furthest below par, by `behind_us`.
        no_slower: laps that are marked as spoiled and not slow against par.
    """
    moved, swing = shares[-1] - shares[0], max(shares) - min(shares)
    if abs(moved) >= 0.6 * swing:
        way = "slower" if moved > 0 else "faster"
        said = [
            f"Everybody became {way} by {abs(moved) * 100:.1f} % from the first lap to the last: the track, and tyres "
            "where all are as old."
        ]
    else:
        said = [
            f"Everybody's pace moved by {swing * 100:.1f} % and came back: the track, and tyres where all are as old."
        ]
    side = "under" if behind_us < 0 else "over"
    said.append(
        f"For its minute lap {best.number} of run {best.run or '–'} was the best: {_seconds(behind_us)} {side} par."
    )
    if no_slower:
        laps = "1 lap is" if no_slower == 1 else f"{no_slower} laps are"
        said.append(
            f"{laps} marked as spoiled and not slow for the minute, as everybody was. Look at the run, and let it "
            "count if you agree."
        )
    return said


def pair_words(pair: Pair) -> str:
    """Who could show whom what, and what it is worth."""
    worth = f"{_seconds(pair.worth_us)} a lap beyond what is between them as a rule"
    return f"{pair.teacher} could show {pair.learner} {', '.join(pair.parts)}: {worth}."


def verdict_words(trial: OptionTrial, verdict: Verdict | None) -> str:
    """One of four verdicts, and what decides it where that isn't time."""
    assert trial.first is not None and trial.second is not None
    first, second = trial.first.label, trial.second.label
    if verdict is None:
        return f"No verdict: {trial.reason}."
    won = (trial.first, trial.second) if verdict.winner == "first" else (trial.second, trial.first)
    if verdict.because == "scatter":
        scatter = f"scatters by {_seconds(won[0].spread_us, 3)} instead of {_seconds(won[1].spread_us, 3)}"
        return f"{won[0].label}, which repeats better: as quick as {won[1].label} on average, it {scatter}."
    if verdict.laps is None:
        size = _seconds(verdict.shift.value_us, 3)
    else:
        size = f"{_seconds(verdict.shift.value_us * verdict.laps, 1)} over {verdict.laps} laps"
    if verdict.winner == "equal":
        return f"Equal for practical purposes: take the safer, {verdict.safer}."
    if verdict.winner == "not_yet":
        ahead = f"So far {second if verdict.shift.value_us < 0 else first} is {size} ahead."
        if verdict.laps is not None:
            return f"Not yet: runs of either scatter too much. {ahead}"
        if trial.where == "setup":
            return f"Not yet: runs differ by as much for no reason. {ahead}"
        more = (
            f"about {verdict.more} more of each"
            if verdict.more is not None
            else "it would take more of each than anybody drives"
        )
        return f"Not yet: {more}. {ahead}"
    if verdict.because == "failures":
        return f"{won[0].label}, by {size}, since {won[1].label} fails more often."
    return f"{won[0].label}, by {size}."


def _bundle_words(bundle: Sequence[str]) -> str:
    names = ", ".join(name.replace("_", " ") for name in bundle)
    return f"Changed at the same time: {names}. The comparison is of the bundle."


def trial_words(trial: OptionTrial) -> list[str]:
    """What stands beside the verdicts."""
    assert trial.first is not None and trial.second is not None
    first, second = trial.first.label, trial.second.label
    said = []
    odds = trial.comes_off
    if odds is not None:
        said.append(
            f"{odds.label} comes off {_share(odds.comes_off)} of the time ({_share(odds.low)} to {_share(odds.high)}): "
            f"{_seconds(odds.won_us)} faster then, {_seconds(odds.lost_us)} slower otherwise."
        )
    if trial.shift is not None and odds is None:
        low, high = trial.shift.low_us, trial.shift.high_us
        when = "When both work, " if trial.first.failed or trial.second.failed else ""
        apart = f"{_signed(trial.shift.value_us, 3)} s ({_signed(low, 3)} to {_signed(high, 3)})"
        said.append(f"{when}{second} less {first} is {apart}.")
    for side in (trial.first, trial.second):
        said.append(
            f"{side.label} failed {side.failed} of {side.n} times ({_share(side.failure_low)} to "
            f"{_share(side.failure_high)})."
        )
    if trial.fragile is not None:
        said.append(f"{trial.fragile} is faster when it works, and fragile.")
    if trial.odds is not None:
        said.append(f"The best of {trial.best_of} laps is faster with {second} in {_share(trial.odds)} of cases.")
    if trial.odds_in_hand is not None:
        one, other = map(_share, trial.odds_in_hand)
        said.append(f"With a safe lap in hand, {first} improves on it in {one}, {second} in {other} of cases.")
    if trial.from_age is not None:
        said.append(f"Which of them is faster changes at a tyre age of {trial.from_age:.0f} laps.")
    gains = [code for code, shift in trial.by_segment.items() if shift.high_us < 0]
    losses = [code for code, shift in trial.by_segment.items() if shift.low_us > 0]
    if gains or losses:
        said.append(f"{second} wins in {', '.join(gains) or 'no segment'} and loses in {', '.join(losses) or 'none'}.")
    if trial.bundle:
        said.append(_bundle_words(trial.bundle))
    return said
