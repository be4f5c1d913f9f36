"""How right the ledger is: effects of setups and tyres on practice whose accounts are known, and cold laps."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from statistics import fmean
from typing import Final

import numpy as np

from fleet_rival.bench.trials import NOISES, TYRES_S, Evening, Made, lap_of, made, moved_by, road
from fleet_rival.core.analysis import DriverAnalysis, analyse
from fleet_rival.core.clinics import clinics_of
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.ledger import Book, Ledger, books_of
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import Z_95
from fleet_rival.core.track import Track

__all__ = ["ACCOUNTS", "Held", "accounts_found", "accounts_table", "cold_found", "cold_table"]

ACCOUNTS: Final = (
    Evening("three setups, no habit", setups=3, aim="92.5 % within, 1.3 times as wide"),
    Evening("two setups as quick over the lap", setups=2, even=True, aim="92.5 % within, 1.3 times as wide"),
    Evening("runs differ by 0.15 % of each segment", setups=3, runs_differ=0.0015, apart=True, aim="92.5 % within"),
    Evening("runs differ by 0.3 % of each segment", setups=3, runs_differ=0.003, apart=True, aim="92.5 % within"),
    Evening("runs differ by 0.3 % of the lap", setups=3, runs_differ=0.003, aim="92.5 % within"),
    Evening("three setups and a habit", setups=3, habit=5, aim="92.5 % within"),
    Evening("the same, tyres fall off in two corners", setups=3, habit=8, tyres=(3, 4), aim="92.5 % within"),
    Evening("12 laps, two setups", laps=12, runs=4, setups=2, aim="92.5 % within"),
    Evening("tyres fall off in one corner", runs=4, laps=56, tyres=(3,), aim="net falloff 92.5 % within"),
    Evening("tyres fall off everywhere", runs=4, laps=56, tyres=(), aim="net falloff 92.5 % within"),
)
_COLD_S: Final = (1.13, 0.70, 0.22, 0.05)
_FALLOFF_S: Final = 0.03


@dataclass(slots=True)
class Held:
    """What was found of evenings of one kind.

    Attributes:
        setups, tyres: for each effect in each part whether its truth lay within the interval.
        net: the same of the falloff of the lap.
        widths: of the setups' intervals, against those of a fit that knows all else.
        exact: whether the accounts of every lap added up.
    """

    evening: Evening
    setups: list[bool] = field(default_factory=list)
    widths: list[float] = field(default_factory=list)
    tyres: list[bool] = field(default_factory=list)
    net: list[bool] = field(default_factory=list)
    exact: bool = True


def _book(track: Track, laps: Sequence[Lap]) -> tuple[DriverAnalysis, Book]:
    analysis = analyse(track, laps)
    clinics = clinics_of(track, analysis, {name: {} for name in analysis.drivers})
    (driver,) = analysis.drivers.values()
    return driver, books_of(track, analysis, clinics, Settings())[driver.name][0]


def accounts_found(sets: int, seed: int, evenings: Sequence[Evening] = ACCOUNTS) -> list[Held]:
    """What the ledger tells of so many evenings of each kind."""
    out = []
    for evening in evenings:
        held = Held(evening)
        for number in range(sets):
            truth = made(evening, NOISES[number % len(NOISES)], seed + number)
            driver, book = _book(truth.track, truth.laps)
            ledger = book.ledger
            assert isinstance(ledger, Ledger)
            held.exact &= all(
                sum(value or 0 for value in lap.accounts.values()) == lap.time_us for lap in ledger.laps()
            )
            _setups(held, truth, ledger)
            _tyres(held, truth, ledger, driver)
        out.append(held)
    return out


def _setups(held: Held, truth: Made, ledger: Ledger) -> None:
    setups = ledger.setups
    if setups is None or setups.low_us is None or setups.high_us is None:
        return
    effects = {f"v{number}": row * 1e6 for number, row in enumerate(truth.effects_s, 1)}
    passes = held.evening.laps / held.evening.setups
    # Two means of as many passes, with their scatter known.
    oracle = 2 * Z_95 * truth.scatter_s * 1e6 * np.sqrt(2 / passes)
    for row, label in enumerate(setups.labels):
        shift = effects[label] - effects[setups.against]
        held.setups += ((setups.low_us[row] <= shift) & (shift <= setups.high_us[row])).tolist()
        held.widths.append(float(((setups.high_us[row] - setups.low_us[row]) / oracle).mean()))


def _tyres(held: Held, truth: Made, ledger: Ledger, driver: DriverAnalysis) -> None:
    if held.evening.tyres is None:
        return
    tyres = ledger.effects.tyres
    if tyres is not None:
        for code, cost in zip(ledger.codes, (truth.tyres_s * 1e6).tolist(), strict=True):
            held.tyres.append(tyres.low_us[code] <= cost <= tyres.high_us[code])
    net = driver.main.falloff.net
    if net is not None:
        held.net.append(net.low <= TYRES_S * 1e6 <= net.high)


def accounts_table(found: Sequence[Held]) -> str:
    """What was told, as a table."""
    lines = [
        "| evening | accounts add up | setups within their interval | as wide as knowing all else | "
        "tyres by part within | net falloff within | aim |",
        "|---|---|---|---|---|---|---|",
    ]
    for row in found:
        cells = [row.evening.name, "yes" if row.exact else "no", _share(row.setups)]
        cells += [f"{fmean(row.widths):.2f}" if row.widths else "–", _share(row.tyres), _share(row.net)]
        lines.append(f"| {' | '.join(cells)} | {row.evening.aim} |")
    return "\n".join(lines) + "\n"


def _share(held: Sequence[bool]) -> str:
    return f"{100 * sum(held) / len(held):.1f} %" if held else "–"


@dataclass(slots=True)
class Cold:
    """Of sets of runs with four cold laps or none: how many were proposed, cliffs told, falloffs within."""

    cold: bool
    sets: int = 0
    proposed: list[int] = field(default_factory=list)
    cliffs: int = 0
    net: int = 0


def cold_found(sets: int, seed: int) -> list[Cold]:
    """What is proposed of runs with four cold laps, and of runs with one like the others."""
    out = []
    for cold in (True, False):
        found = Cold(cold)
        for number in range(sets):
            rng = np.random.default_rng(seed + number)
            track, base = road(rng, 13)
            share, scatter = base / base.sum(), 0.0035 * base * rng.uniform(0.6, 1.5, len(base))
            laps = []
            for run in range(4):
                moved = moved_by(rng, NOISES[number % len(NOISES)], (15, len(base)))
                for place in range(15):
                    late = _FALLOFF_S * place
                    late += _COLD_S[place - 1] if cold and 1 <= place <= len(_COLD_S) else 0.0
                    laps.append(lap_of(track, base + scatter * moved[place] + share * late, run + 1, place, "v1"))
            driver, book = _book(track, laps)
            falloff = driver.main.falloff
            found.sets += 1
            found.proposed.append(max((item.value for item in book.proposals), default=0))
            found.cliffs += falloff.cliff is not None
            found.net += falloff.net is not None and falloff.net.low <= _FALLOFF_S * 1e6 <= falloff.net.high
        out.append(found)
    return out


def cold_table(found: Sequence[Cold]) -> str:
    """What was proposed, as a table."""
    lines = ["| runs | sets | cold laps proposed | a cliff | falloff within | aim |", "|---|---|---|---|---|---|"]
    for row in found:
        counts = ", ".join(f"{laps}: {row.proposed.count(laps)}" for laps in sorted(set(row.proposed)))
        name = "four cold laps" if row.cold else "no cold lap"
        aim = "three or four in 51 of 60, no cliff, 85 of 100" if row.cold else "0: none proposed"
        lines.append(f"| {name} | {row.sets} | {counts} | {row.cliffs} | {row.net} | {aim} |")
    return "\n".join(lines) + "\n"
