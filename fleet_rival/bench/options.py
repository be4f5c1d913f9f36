"""How right verdicts on options are: passes of two ways to drive a corner, made up from what is known of each."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from fleet_rival.bench.trials import NOISES, lap_of, moved_by, road
from fleet_rival.core.corners.clinic import clinic_of
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import judge
from fleet_rival.core.options import OptionTrial, option_trial
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Track

__all__ = ["TRIALS", "Judged", "Two", "options_found", "options_table", "tried"]

_CORNERS: Final = 13


@dataclass(frozen=True, slots=True)
class Two:
    """Two ways to drive a corner, `high` and `low`; all in seconds, of `low` against `high`.

    Attributes:
        corner: its number.
        here, behind: slower in the corner, and in the segment behind it.
        lost_s, comes_off: instead of `here`, by how much slower it is when it doesn't come off, and how often it does.
        scatter: deviations of either in the corner, beyond what each segment scatters by.
        right: whether a trial tells what is true.
    """

    name: str
    aim: str
    right: Callable[["Two", OptionTrial], bool]
    corner: int = 6
    passes: int = 27
    here: float = 0.0
    behind: float = 0.0
    lost_s: float | None = None
    comes_off: float = 1.0
    scatter: tuple[float, float] = (0.0, 0.0)


def _winners(race: str, qualifying: str | None = None) -> Callable[[Two, OptionTrial], bool]:
    def right(_: Two, trial: OptionTrial) -> bool:
        found = (trial.race, trial.qualifying)
        wanted = (race, qualifying or race)
        return all(item is not None and item.winner == which for item, which in zip(found, wanted, strict=True))

    return right


def _told_as_odds(two: Two, trial: OptionTrial) -> bool:
    odds = trial.comes_off
    return (
        odds is not None
        and odds.low <= two.comes_off <= odds.high
        and abs(odds.won_us / 1e6 - two.here) < 0.03
        and abs(odds.lost_us / 1e6 - (two.lost_s or 0.0)) < 0.03
    )


def _repeats_better(_: Two, trial: OptionTrial) -> bool:
    return trial.race is not None and (trial.race.winner, trial.race.because) == ("first", "scatter")


TRIALS: Final = (
    Two(
        "loses 0.05 s at the last corner, wins 0.10 s behind the line",
        "57 of 60",
        _winners("second", "first"),
        corner=_CORNERS,
        here=0.05,
        behind=-0.10,
    ),
    Two("wins 0.08 s in the corner", "57 of 60", _winners("second"), here=-0.08),
    Two(
        "wins 0.07 s one time in three, else loses 0.30 s",
        "54 of 60",
        _told_as_odds,
        passes=60,
        here=-0.07,
        lost_s=0.30,
        comes_off=1 / 3,
    ),
    Two("scatters by 0.145 s instead of 0.03 s", "57 of 60", _repeats_better, scatter=(0.03, 0.145)),
)


@dataclass(slots=True)
class Judged:
    """In how many trials of one kind the truth was told, and in how many a false mistake besides."""

    two: Two
    sets: int = 0
    right: int = 0
    false_mistakes: int = 0


def tried(two: Two, noise: str, seed: int) -> tuple[Track, list[Lap]]:
    """Laps of one driver who takes a corner in turns one way and the other, in six runs."""
    rng = np.random.default_rng(seed)
    track, base = road(rng, _CORNERS)
    scatter = 0.0035 * base * rng.uniform(0.6, 1.5, len(base))
    if any(two.scatter):
        scatter[two.corner] = 0.0
    each = 2 * two.passes // 6
    laps = []
    for run in range(6):
        moved = moved_by(rng, noise, (each + 1, len(base)))
        over = 0.0
        for place in range(each + 1):
            times = base + scatter * moved[place]
            times[0] += over
            over = 0.0
            low = place > 0 and (place + run) % 2
            times[two.corner] += two.scatter[1 if low else 0] * moved[place, two.corner]
            if low:
                came_off = rng.random() < two.comes_off
                times[two.corner] += two.here if came_off or two.lost_s is None else two.lost_s
                if two.corner + 1 < len(base):
                    times[two.corner + 1] += two.behind
                else:
                    over = two.behind
            options = ((f"T{two.corner}", "low" if low else "high"),) if place else ()
            laps.append(lap_of(track, times, run + 1, place, "v1", options))
    return track, laps


def options_found(sets: int, seed: int, trials: Sequence[Two] = TRIALS) -> list[Judged]:
    """What is told of so many trials of each kind."""
    out = []
    for two in trials:
        found = Judged(two)
        for number in range(sets):
            track, laps = tried(two, NOISES[number % len(NOISES)], seed + number)
            judged = judge(track, laps, Settings())
            members = [index for index, item in enumerate(judged) if item.flying]
            trial = option_trial(track, judged, members, f"T{two.corner}", ("high", "low"), Settings())
            clinic = clinic_of(track, judged, members, {}, Settings())
            found.sets += 1
            found.right += two.right(two, trial)
            found.false_mistakes += any(item.recurring for item in clinic.mistakes)
        out.append(found)
    return out


def options_table(found: Sequence[Judged]) -> str:
    """What was told, as a table."""
    lines = ["| `low` against `high` | sets | told right | a false mistake | aim |", "|---|---|---|---|---|"]
    lines += [f"| {row.two.name} | {row.sets} | {row.right} | {row.false_mistakes} | {row.two.aim} |" for row in found]
    return "\n".join(lines) + "\n"
