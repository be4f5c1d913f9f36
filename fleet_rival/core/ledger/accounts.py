"""A driver's accounts: what each lap's time is owed to, booked once.

What moves passes is estimated together; on what is left stand the driver's own good passes. What is left of a pass
then is its slip, what a slip brought along, the others', or scatter. Sums are whole microseconds and exact.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from math import ceil
from typing import Final

import numpy as np
from numpy.typing import NDArray

from fleet_rival.core.analysis import GroupAnalysis
from fleet_rival.core.corners.clinic import Clinic
from fleet_rival.core.corners.references import PartFigures
from fleet_rival.core.effects import WHOLE, Effects, Setups, effects_of
from fleet_rival.core.effects.placed import placed
from fleet_rival.core.effects.together import track_us
from fleet_rival.core.effects.within import Values
from fleet_rival.core.laps.groups import group_of
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.options.samples import samples_of, switches
from fleet_rival.core.pace.par import Par
from fleet_rival.core.settings import Settings
from fleet_rival.core.statistics import medians
from fleet_rival.core.track import Track
from fleet_rival.core.words import ACCOUNTS, Account, Depth, PartDepth

__all__ = ["LapAccount", "Ledger", "average", "group_effects", "ledger_of", "par_shares", "told_setups"]

Whole = NDArray[np.int64]
_MEDIAN_ERROR: Final = 1.57
"""Variance of a median over that of a mean, of normal values."""
_WITH_TYRES: Final = "tyres and fuel can't be told apart: what fuel is worth stands in tyres"
_ONE_RUN: Final = "one run of each setup: how far runs differ by themselves can't be told"
_IN_ORDER: Final = "driven one after the other: how much of it is learning, or the track, can't be told"
_NO_PAR: Final = "no par: two drivers or more at the same time, and when each lap began"


@dataclass(frozen=True, slots=True)
class LapAccount:
    """What one lap's time is owed to.

    Attributes:
        position: of the lap among the driver's laps.
        time_us: of the lap; the accounts add up to it, None counting as nothing.
        accounts: whole microseconds; None: can't be told.
    """

    position: int
    time_us: int
    accounts: Mapping[Account, int | None]


@dataclass(frozen=True, slots=True)
class Ledger:
    """The accounts of one driver in one group.

    Attributes:
        effects: what was booked of setups, options and tyres, and by which parts.
        positions: of the laps of which all parts are timed, among the driver's laps, shape (laps,).
        times_us: of the laps, shape (laps,).
        booked_us: by account, lap and part, shape (accounts, laps, parts).
        reasons: accounts that can't be told, and why.
        cautions: accounts that may hold something else too, and why.
    """

    effects: Effects
    positions: Whole
    times_us: Whole
    booked_us: NDArray[np.int64]
    reasons: Mapping[str, str] = field(default_factory=dict)
    cautions: Mapping[str, str] = field(default_factory=dict)

    @property
    def depth(self) -> Depth:
        """By which parts it is kept: `segments`, `sectors`, or the `lap` alone."""
        return self.effects.passes.depth

    @property
    def codes(self) -> tuple[str, ...]:
        """Parts in the order of the lap."""
        return self.effects.passes.codes

    @property
    def setups(self) -> Setups | None:
        """Effects that are more than what runs differ by."""
        return told_setups(self.effects)[0]

    def laps(self) -> list[LapAccount]:
        """The account of each lap, in the order of driving."""
        sums = self.booked_us.sum(axis=2)
        rest = self.times_us - sums.sum(axis=0)
        out = []
        for row, (position, time) in enumerate(zip(self.positions.tolist(), self.times_us.tolist(), strict=True)):
            values = dict(zip(ACCOUNTS, sums[:, row].tolist(), strict=True))
            # Parts that were timed one by one may miss the lap by their rounding.
            values["scatter"] += int(rest[row])
            out.append(LapAccount(position, time, {name: self._told(name, values[name]) for name in ACCOUNTS}))
        return out

    def _told(self, name: Account, value: int) -> int | None:
        return None if name in self.reasons and not value else value


def average(laps: Sequence[LapAccount]) -> tuple[int, dict[Account, int | None]]:
    """Time and accounts of an average lap, in whole microseconds; what rounding leaves goes into scatter, so that these
    add up too.

    Args:
        laps: at least one.

    >>> empty = dict.fromkeys(ACCOUNTS, None)
    >>> laps = [LapAccount(at, 60 + at, empty | {"reference": 60, "slip": at, "scatter": 0}) for at in range(2)]
    >>> time_us, accounts = average(laps)
    >>> time_us, accounts["slip"], accounts["scatter"], accounts["fuel"]
    (60, 0, 0, None)
    """
    time_us = round(sum(lap.time_us for lap in laps) / len(laps))
    sums: dict[Account, int | None] = {}
    for account in ACCOUNTS:
        known = [value for lap in laps if (value := lap.accounts[account]) is not None]
        sums[account] = round(sum(known) / len(laps)) if known else None
    sums["scatter"] = (sums["scatter"] or 0) + time_us - sum(value or 0 for value in sums.values())
    return time_us, sums


def par_shares(judged: Sequence[JudgedLap], pars: Mapping[str, Par | str]) -> dict[int, float]:
    """By how much the track was slower than usual when each lap began, as a share, by the lap's position."""
    return {
        index: par.at((item.lap.started_at - par.begun).total_seconds() / 60)
        for index, item in enumerate(judged)
        if item.lap.started_at is not None
        and isinstance(par := pars.get(item.lap.session), Par)
        and par.begun is not None
    }


def ledger_of(
    track: Track,
    judged: Sequence[JudgedLap],
    group: GroupAnalysis,
    clinic: Clinic,
    track_shares: Mapping[int, float] | None = None,
    settings: Settings | None = None,
) -> Ledger | str:
    """The ledger of one driver in one group.

    Args:
        judged: all laps of the driver, in order.
        clinic: of the same group: its slips are booked here.
        track_shares: by how much the track was slower than usual, as a share, by the lap's position, where par is
            known.

    Returns:
        The ledger, or the reason why there is none.

    >>> from fleet_rival.core.analysis import analyse
    >>> from fleet_rival.core.clinics import clinics_of
    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> analysis = analyse(TRACK, LAPS)
    >>> clinics = clinics_of(TRACK, analysis, {"Ysolde Farrand": {}})
    >>> driver = analysis.drivers["Ysolde Farrand"]
    >>> ledger = ledger_of(TRACK, driver.laps, driver.main, clinics["Ysolde Farrand"].main)
    >>> slow = ledger.laps()[5]
    >>> slow.time_us, slow.accounts["slip"], sum(value or 0 for value in slow.accounts.values()) == slow.time_us
    (60620000, 625000, True)
    """
    shares = track_shares or {}
    effects = group_effects(track, judged, group, clinic.parts, clinic.depth, shares)
    if isinstance(effects, str):
        return effects
    if not effects.passes.timed.all(axis=1).any():
        return "no lap with a time of each part"
    ledger = _booked(effects, judged, clinic, shares)
    if ledger.setups is None:
        return ledger
    # As a trial of two setups says: without so many switches between them it has no verdict.
    driven = {
        label: samples_of(track, judged, group.members, "setup", label)
        for label in (ledger.setups.against, *ledger.setups.labels)
    }
    fewest = min(switches(driven[ledger.setups.against], driven[label]) for label in ledger.setups.labels)
    in_order = fewest < (settings or Settings()).option_switches
    return replace(ledger, cautions={"setup": _IN_ORDER}) if in_order else ledger


def group_effects(
    track: Track,
    judged: Sequence[JudgedLap],
    group: GroupAnalysis,
    parts: Mapping[str, PartFigures],
    depth: PartDepth,
    track_shares: Mapping[int, float],
) -> Effects | str:
    """What moves the passes of one driver in one group: by its parts, or where these tell nothing by whole laps.

    Args:
        parts: of this depth, with what is a pass through each.

    Returns:
        The effects, or the reason why there are none.
    """
    chosen = [index for index, item in enumerate(judged) if group_of(item.lap) == group.group]
    evidence = {code: figures.passes for code, figures in parts.items()}
    if evidence:
        effects = effects_of(track, judged, chosen, evidence, depth, group.falloff, track_shares)
        if not isinstance(effects, str):
            return effects
    return effects_of(track, judged, chosen, {}, WHOLE, group.falloff, track_shares)


def _booked(effects: Effects, judged: Sequence[JudgedLap], clinic: Clinic, shares: Mapping[int, float]) -> Ledger:
    passes = effects.passes
    book = _Book(effects)
    reasons = {"fuel": _WITH_TYRES}
    book.book("track", track_us(passes, shares))
    if not any(index in shares for index in passes.positions.tolist()):
        reasons["track"] = _NO_PAR
    setups, why_not = told_setups(effects)
    if setups is not None:
        book.book("setup", effects.setup_us)
    elif why_not:
        reasons["setup"] = why_not
    book.book("option", effects.option_us)
    book.book("tyres", effects.tyres_us)
    if effects.no_tyres:
        reasons["tyres"] = effects.no_tyres
    book.reference()
    book.cold()
    book.rest(clinic if passes.depth != WHOLE else None)
    whole = passes.timed.all(axis=1)
    return Ledger(
        effects,
        passes.positions[whole],
        np.asarray([judged[index].lap.time_us for index in passes.positions[whole].tolist()], dtype=np.int64),
        book.booked[:, whole],
        reasons,
    )


def told_setups(effects: Effects) -> tuple[Setups | None, str]:
    """Effects of setups that are more than what runs differ by; else None with the reason, which is empty where one
    alone was driven.
    """
    if effects.setups is None:
        return None, effects.no_setups
    return (effects.setups, "") if effects.setups.told else (None, _ONE_RUN)


class _Book:
    """A ledger while it is written."""

    def __init__(self, effects: Effects) -> None:
        self._passes, self._scale_us = effects.passes, effects.scale_us
        self.booked = np.zeros((len(ACCOUNTS), *effects.passes.times_us.shape), dtype=np.int64)

    def book(self, account: Account, values: Values) -> None:
        """Book an account of all passes, rounded to whole microseconds."""
        self.booked[ACCOUNTS.index(account)] = np.rint(values).astype(np.int64)

    def _left(self) -> Whole:
        return np.asarray(self._passes.times_us - self.booked.sum(axis=0))

    def reference(self) -> None:
        """Book the driver's own good passes: the median of the best third of what is left."""
        left = np.where(self._passes.tells, self._left(), np.nan)
        good = [np.sort(column[np.isfinite(column)]) for column in left.T]
        reference = [float(np.median(times[: ceil(len(times) / 3)])) for times in good]
        self.book("reference", np.tile(reference, (len(left), 1)))

    def cold(self) -> None:
        """Book what cold tyres cost, by how many laps ago the car left the pits; read from laps of which the cold was
        all, as far as there are any.
        """
        passes, left = self._passes, self._left().astype(np.float64)
        values = np.zeros(left.shape)
        cold = passes.cold & passes.timed
        for since in np.unique(passes.since[cold.any(axis=1)]).tolist():
            here = cold & (passes.since == since)[:, None]
            read = here & passes.only_cold if (here & passes.only_cold).any() else here
            count = read.sum(axis=0)
            middle = np.nan_to_num(medians(np.where(read, left, np.nan)))
            errors = _MEDIAN_ERROR * self._scale_us**2 / np.maximum(count, 1)
            values += np.where(here, placed(middle, errors, passes.base_us)[0], 0.0)
        self.book("cold", values)

    def rest(self, clinic: Clinic | None) -> None:
        """Book what is left: to slips and what they brought along, to others who were in the way, else to scatter."""
        left = self._left()
        owed: dict[tuple[int, int], Account] = {
            (row, column): "traffic" for row, column in np.argwhere(self._passes.others).tolist()
        }
        owed |= self._slips(clinic) if clinic is not None else {}
        for (row, column), account in owed.items():
            self.booked[ACCOUNTS.index(account), row, column] = left[row, column]
            left[row, column] = 0
        self.booked[ACCOUNTS.index("scatter")] = left

    def _slips(self, clinic: Clinic) -> dict[tuple[int, int], Account]:
        rows = {index: row for row, index in enumerate(self._passes.positions.tolist())}
        columns = {code: column for column, code in enumerate(self._passes.codes)}
        slips = (*clinic.slips, *clinic.cold)
        owed: dict[tuple[int, str], Account] = {key: "carried" for slip in slips for key in slip.booked}
        owed |= {(slip.lap, slip.corner): "slip" for slip in slips}
        return {
            (rows[lap], columns[code]): account
            for (lap, code), account in owed.items()
            if lap in rows and code in columns
        }
