"""How right the clinic is where much else moves the times: setups that are tried, tyres that fall off in one corner,
many corners and few laps. Practice is made up from accounts that are known, without any driver that is simulated.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.corners.clinic import Clinic, clinic_of
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.laps.marks import judge
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Corner, Sector, Track

__all__ = [
    "EVENINGS",
    "NOISES",
    "TYRES_S",
    "Evening",
    "Made",
    "Seen",
    "lap_of",
    "made",
    "moved_by",
    "practice",
    "road",
    "trials_found",
    "trials_table",
]

_DRIVER: Final = "Ysolde Farrand"
NOISES: Final = ("normal", "heavy tails", "neighbours correlated")
"""Sets take one of them in turn."""
TYRES_S: Final = 0.06
"""What a lap of age costs a lap, where tyres fall off."""


@dataclass(frozen=True, slots=True)
class Evening:
    """What a made-up evening of one driver is like.

    Attributes:
        effect: of a setup in a segment: standard deviation, as a share of the segment.
        even: whether the setups are as quick as each other over the lap.
        runs_differ: by which share of the lap runs differ for no reason; `apart`: of each segment by itself.
        habit: the corner of a habit of 0.06 s a lap, by its number.
        tyres: corners in which tyres fall off, by their numbers; empty: everywhere alike; None: nowhere.
        trade: the correlation of two neighbouring segments.
        given_up: the corner in which 0.2 s are given up on every third lap, by its number, to win 0.25 s in the next
            one; marked as such.
        aim: what is asked of it, in words.
    """

    name: str
    corners: int = 13
    laps: int = 54
    runs: int = 6
    setups: int = 1
    effect: float = 0.005
    even: bool = False
    runs_differ: float = 0.0
    apart: bool = False
    habit: int | None = None
    tyres: tuple[int, ...] | None = None
    trade: float = 0.0
    given_up: int | None = None
    aim: str = ""


EVENINGS: Final = (
    Evening("three setups, no habit", setups=3, aim="no false mistake in 59 of 60"),
    Evening("two setups as quick over the lap", setups=2, even=True, aim="no false mistake in 59 of 60"),
    Evening("three setups, runs differ by 0.3 %", setups=3, runs_differ=0.003, aim="no false mistake in 59 of 60"),
    Evening("three setups and a habit", setups=3, habit=5, aim="found in 57 of 60, nothing else"),
    Evening("the same, tyres fall off in two corners", setups=3, habit=8, tyres=(3, 4), aim="found in 57 of 60"),
    Evening("tyres fall off in one corner", runs=4, laps=56, tyres=(3,), aim="a false trade in 1 of 120"),
    Evening("tyres fall off in two corners", runs=4, laps=56, tyres=(3, 4), aim="a false trade in 1 of 120"),
    Evening("tyres fall off everywhere", runs=4, laps=56, tyres=(), aim="a false trade in 1 of 120"),
    Evening("a corner given up for the next", given_up=6, aim="no false mistake in 59 of 60"),
    Evening("the same, and a habit elsewhere", given_up=6, habit=9, aim="found in 57 of 60"),
    Evening("the same, and a habit in the corner itself", given_up=6, habit=6, aim="found in 57 of 60"),
    Evening("noise alone, 64 corners and 9 laps", corners=64, laps=9, runs=1, aim="a false mistake in 1 of 100"),
    Evening("a trade of −0.6, 54 passes", laps=63, runs=1, trade=-0.6, aim="found in 85 of 100"),
)


@dataclass(slots=True)
class Seen:
    """What was found in evenings of one kind: in how many what is there, and in how many something that isn't."""

    evening: Evening
    sets: int = 0
    found: int = 0
    false_mistakes: int = 0
    false_trades: int = 0


@dataclass(frozen=True, slots=True)
class Made:
    """An evening with its truth, in seconds.

    Attributes:
        laps: with an out lap in front of each run.
        effects_s: of each setup in each segment, shape (setups, segments).
        tyres_s: what a lap of age costs each segment; `scatter_s`: by how much each scatters.
    """

    track: Track
    laps: list[Lap]
    effects_s: NDArray[np.float64]
    tyres_s: NDArray[np.float64]
    scatter_s: NDArray[np.float64]


def practice(evening: Evening, noise: str, seed: int) -> tuple[Track, list[Lap]]:
    """An evening: its track, and its laps with an out lap in front of each run."""
    found = made(evening, noise, seed)
    return found.track, found.laps


def made(evening: Evening, noise: str, seed: int) -> Made:
    """An evening with its truth.

    Args:
        noise: one of `normal`, `heavy tails`, `neighbours correlated`.
    """
    rng = np.random.default_rng(seed)
    track, base = road(rng, evening.corners, evening.given_up)
    share = base / base.sum()
    effects = rng.normal(size=(evening.setups, len(base))) * evening.effect * base
    if evening.even:
        effects -= effects.sum(axis=1, keepdims=True) * share
    effects[0] = 0.0
    scatter = 0.0035 * base * rng.uniform(0.6, 1.5, len(base))
    tyres = _tyres(evening, share)
    laps = []
    each = evening.laps // evening.runs
    for run in range(evening.runs):
        setup = run % evening.setups
        level = rng.normal(size=len(base) if evening.apart else 1) * evening.runs_differ
        moved = moved_by(rng, noise, (each + 1, len(base)))
        if evening.trade:
            moved[:, 4] = evening.trade * moved[:, 3] + np.sqrt(1 - evening.trade**2) * moved[:, 4]
        for place in range(each + 1):
            times = base * (1 + level) + effects[setup] + scatter * moved[place] + tyres * place
            if evening.habit is not None and rng.random() < 0.2:
                times[evening.habit] += 0.3 * rng.uniform(0.7, 1.3)
            if evening.given_up is not None and rng.random() < 1 / 3:
                times[evening.given_up : evening.given_up + 2] += (0.2, -0.25)
            laps.append(lap_of(track, times, run + 1, place, f"v{setup + 1}"))
    return Made(track, laps, effects, tyres, scatter)


def road(rng: np.random.Generator, corners: int, given_up: int | None = None) -> tuple[Track, NDArray[np.float64]]:
    """A track with so many corners, one of them given up for the next perhaps, and what its segments take, in
    seconds.
    """
    lengths = rng.uniform(120.0, 420.0, corners + 1)
    starts = np.cumsum(lengths)[:-1]
    placed = tuple(
        Corner(f"T{number}", at, at + 20, at + 40, linked_to_next=number == given_up)
        for number, at in enumerate(starts.tolist(), 1)
    )
    sectors = (Sector("S1", 0.0), *(Sector(f"S{part + 1}", float(starts[part * len(starts) // 3])) for part in (1, 2)))
    track = Track("Quernholm", "Short", "street", float(lengths.sum()), sectors=sectors, corners=placed)
    return track, 6.0 * (corners + 1) * lengths / lengths.sum()


def moved_by(rng: np.random.Generator, noise: str, shape: tuple[int, int]) -> NDArray[np.float64]:
    if noise == "heavy tails":
        return np.asarray(rng.standard_t(4, size=shape) / np.sqrt(2), dtype=np.float64)
    moved = rng.normal(size=shape)
    if noise == "neighbours correlated":
        for row in range(1, shape[0]):
            moved[row] = 0.4 * moved[row - 1] + np.sqrt(1 - 0.4**2) * moved[row]
    return moved


def _tyres(evening: Evening, share: NDArray[np.float64]) -> NDArray[np.float64]:
    """What a lap of age costs each segment."""
    if evening.tyres is None:
        return np.zeros_like(share)
    where = share.copy()
    if evening.tyres:
        where[:] = 0.0
        where[list(evening.tyres)] = 1 / len(evening.tyres)
    return TYRES_S * where


def lap_of(
    track: Track,
    times: NDArray[np.float64],
    run: int,
    place: int,
    setup: str,
    options: tuple[tuple[str, str], ...] = (),
) -> Lap:
    """A lap of the made-up driver; the first of a run is its out lap.

    Args:
        times: of its segments, in seconds.
    """
    codes = [part.code for part in track.segment_parts]
    segments = {code: round(time * 1e6) for code, time in zip(codes, times.tolist(), strict=True)}
    return Lap(
        _DRIVER,
        place + 1,
        sum(segments.values()),
        run=run,
        kind="flying" if place else "out",
        segments=segments,
        setup=setup,
        options=options,
        tyre_age=float(place),
    )


def looked_at(track: Track, laps: Sequence[Lap]) -> Clinic:
    """The clinic of an evening, by times alone."""
    judged = judge(track, laps, Settings())
    return clinic_of(track, judged, range(len(judged)), {}, Settings())


def trials_found(sets: int, seed: int, evenings: Sequence[Evening] = EVENINGS) -> list[Seen]:
    """What is found in so many evenings of each kind.

    Args:
        sets: evenings of each kind, of which each noise takes a third.
    """
    out = []
    for evening in evenings:
        seen = Seen(evening)
        habit, trade = f"T{evening.habit}", ("T3", "T4") if evening.trade else None
        for number in range(sets):
            noise = NOISES[number % len(NOISES)] if not evening.trade else "normal"
            clinic = looked_at(*practice(evening, noise, seed + number))
            corners = {item.corner for item in clinic.mistakes if item.recurring}
            trades = {(item.first, item.second) for item in clinic.trades}
            seen.sets += 1
            seen.found += habit in corners if evening.habit is not None else trade in trades
            seen.false_mistakes += bool(corners - {habit})
            seen.false_trades += bool(trades - {trade})
        out.append(seen)
    return out


def trials_table(found: Sequence[Seen]) -> str:
    """What was found, as a table."""
    lines = [
        "| evening | sets | what is there, found | a false mistake | a false trade | aim |",
        "|---|---|---|---|---|---|",
    ]
    for row in found:
        there = str(row.found) if row.evening.habit is not None or row.evening.trade else "–"
        lines.append(
            f"| {row.evening.name} | {row.sets} | {there} | {row.false_mistakes} | {row.false_trades} | "
            f"{row.evening.aim} |"
        )
    return "\n".join(lines) + "\n"
