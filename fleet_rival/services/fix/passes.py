"""A combination looked through for mistakes: driver by driver, and remembered, so that who has no new lap costs
nothing.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.analysis import Analysis, DriverAnalysis
from fleet_rival.core.clinics import Clinics, DriverClinics, StandingLosses, clinics_of
from fleet_rival.core.corners.clinic import Said
from fleet_rival.core.corners.slips import Correction
from fleet_rival.core.laps.lap import Identity
from fleet_rival.core.settings import Settings
from fleet_rival.core.telemetry.curves import LapCurves
from fleet_rival.core.track import Track
from fleet_rival.db.laps import laps_of
from fleet_rival.db.tables import Combination, CorrectionRow, Driver, Lap, Layout, LikeKind, PracticeSession, Remark
from fleet_rival.services.find.analyses import analysed, without_intervals
from fleet_rival.services.find.look import Look
from fleet_rival.services.fix.curves import curve_keys, load_curves
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.cache.memory import Remembered, key_of
from fleet_rival.services.track.tracks import load_track
from fleet_rival.services.week.stretches import within

__all__ = ["CurvesOf", "LookedThrough", "look_through", "remembered_clinics"]

_MOST_HELD: Final = 160
"""Drivers' clinics and standing losses that are remembered: some 30 MB."""
_remembered: Final = Remembered(_MOST_HELD)


class CurvesOf(Mapping[int, LapCurves]):
    """One driver's curves by the lap's position; read when somebody asks."""

    def __init__(
        self,
        sessions: sessionmaker[Session],
        team_id: int,
        length_m: float,
        keys: Mapping[int, tuple[int, tuple[int, int]]],
    ) -> None:
        self._sessions, self._team_id, self._length_m = sessions, team_id, length_m
        self.keys_of_traces = keys
        self._read: dict[int, LapCurves] | None = None

    def _all(self) -> dict[int, LapCurves]:
        if self._read is None:
            found = load_curves(self._sessions, self._team_id, self._length_m, dict(self.keys_of_traces.values()))
            self._read = {index: found[lap_id] for index, (lap_id, _) in self.keys_of_traces.items() if lap_id in found}
        return self._read

    def __getitem__(self, index: int) -> LapCurves:
        return self._all()[index]

    def __iter__(self) -> Iterator[int]:
        return iter(self._all())

    def __len__(self) -> int:
        return len(self._all())


@dataclass(frozen=True, slots=True)
class LookedThrough:
    """All drivers' corners in one combination.

    Attributes:
        ids: public ids of the drivers, by name.
        curves: by driver's name.
        lap_ids: keys of laps, by identity.
        said: what people said of passes, by driver's name.
    """

    track: Track
    settings: Settings
    analysis: Analysis
    clinics: Mapping[str, DriverClinics]
    ids: Mapping[str, str]
    curves: Mapping[str, CurvesOf]
    lap_ids: Mapping[Identity, int]
    session_ids: Mapping[str, str]
    said: Mapping[str, Said]


def look_through(
    sessions: sessionmaker[Session], look: Look, session: Session, actor: Actor, row: Combination
) -> LookedThrough:
    """Look a combination's laps through for slips, mistakes and standing losses."""
    settings = without_intervals(look.settings(row))
    track = load_track(session, session.get_one(Layout, row.layout_id), centreline=False)
    stored = laps_of(session, actor.team_id, row.id, None, as_said=True)
    if look.stretch is not None:
        stored = within(session, actor.team_id, row.id, stored, look.stretch)
    analysis = analysed(track, [item.lap for item in stored], settings)
    lap_ids = {item.lap.identity: item.id for item in stored}
    ids = {
        name: str(key)
        for name, key in session.execute(select(Driver.name, Driver.public_id).where(Driver.team_id == actor.team_id))
    }
    labels = {
        label: str(key)
        for label, key in session.execute(
            select(PracticeSession.label, PracticeSession.public_id).where(
                PracticeSession.team_id == actor.team_id, PracticeSession.combination_id == row.id
            )
        )
    }
    traced = curve_keys(session, actor.team_id, row.id)
    said = _said(session, actor, row)
    curves: dict[str, CurvesOf] = {}
    for name, driver in analysis.drivers.items():
        own = {index: lap_ids[item.lap.identity] for index, item in enumerate(driver.laps)}
        keys = {index: (lap_id, traced[lap_id]) for index, lap_id in own.items() if lap_id in traced}
        curves[name] = CurvesOf(sessions, actor.team_id, track.length_m, keys)
    traces = {name: item.keys_of_traces for name, item in curves.items()}
    clinics = remembered_clinics(track, analysis, settings, said, curves, traces)
    return LookedThrough(track, settings, analysis, clinics, ids, curves, lap_ids, labels, said)


def _said(session: Session, actor: Actor, row: Combination) -> dict[str, Said]:
    """Corrections and kinds for all passes alike, by driver's name."""
    passes: dict[str, dict[tuple[str, int | None, int, str], Correction]] = {}
    query = (
        select(Driver.name, PracticeSession.label, Lap.run, Lap.number, CorrectionRow)
        .join(Lap, (Lap.team_id == CorrectionRow.team_id) & (Lap.id == CorrectionRow.lap_id))
        .join(Driver, (Driver.team_id == Lap.team_id) & (Driver.id == Lap.driver_id))
        .join(PracticeSession, (PracticeSession.team_id == Lap.team_id) & (PracticeSession.id == Lap.session_id))
        .where(CorrectionRow.team_id == actor.team_id, CorrectionRow.combination_id == row.id)
    )
    for name, label, run, number, item in session.execute(query):
        correction = Correction(item.kind, item.cause_corner, item.no_mistake, item.remark)
        passes.setdefault(name, {})[label, run, number, item.corner] = correction
    for key, correction in _remarked(session, actor, row):
        passes.setdefault(key[0], {}).setdefault(key[1:], correction)
    like: dict[str, dict[tuple[str, str], str]] = {}
    alike = (
        select(Driver.name, LikeKind.corner, LikeKind.rule_kind, LikeKind.kind)
        .join(Driver, (Driver.team_id == LikeKind.team_id) & (Driver.id == LikeKind.driver_id))
        .where(LikeKind.team_id == actor.team_id, LikeKind.combination_id == row.id)
    )
    for name, corner, rule_kind, kind in session.execute(alike):
        like.setdefault(name, {})[corner, rule_kind] = kind
    return {name: Said(passes.get(name, {}), like.get(name, {})) for name in passes.keys() | like.keys()}


def _remarked(
    session: Session, actor: Actor, row: Combination
) -> Iterator[tuple[tuple[str, str, int | None, int, str], Correction]]:
    """What remarks say of mistakes, the earliest first: the kind is on the lap already, where it began and the words
    are not.
    """
    query = (
        select(Driver.name, PracticeSession.label, Lap.run, Lap.number, Remark)
        .join(Lap, (Lap.team_id == Remark.team_id) & (Lap.id == Remark.lap_id))
        .join(Driver, (Driver.team_id == Lap.team_id) & (Driver.id == Lap.driver_id))
        .join(PracticeSession, (PracticeSession.team_id == Lap.team_id) & (PracticeSession.id == Lap.session_id))
        .where(
            Remark.team_id == actor.team_id,
            Remark.combination_id == row.id,
            Remark.kind.is_not(None),
            Remark.corner.is_not(None),
        )
        .order_by(Remark.id)
    )
    for name, label, run, number, item in session.execute(query):
        yield (name, label, run, number, item.corner or ""), Correction(item.kind, item.cause_corner, remark=item.text)


def remembered_clinics(
    track: Track,
    analysis: Analysis,
    settings: Settings,
    said: Mapping[str, Said],
    curves: Mapping[str, Mapping[int, LapCurves]],
    traces: Mapping[str, Mapping[int, Any]],
) -> dict[str, DriverClinics]:
    """Everybody's corners; what was found before from the same laps isn't looked for again.

    Args:
        traces: which trace each of a driver's laps has, by the lap's position: other traces give other answers.
    """
    keys = {
        name: key_of(track, [item.lap for item in driver.laps], settings, traces[name], said.get(name))
        for name, driver in analysis.drivers.items()
    }

    def once(driver: DriverAnalysis, make: Callable[[], Clinics]) -> Clinics:
        return _remembered.get(keys[driver.name], make)

    def once_against(name: str, others: Sequence[str], make: Callable[[], StandingLosses]) -> StandingLosses:
        return _remembered.get(key_of("standing", keys[name], sorted(keys[other] for other in others)), make)

    return clinics_of(track, analysis, curves, settings, said, once, once_against)
