"""Laps as a rig delivers them, while they are driven."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.lap import Lap as CoreLap
from fleet_rival.core.track import Track
from fleet_rival.db.tables import Car, ChangeSet, Combination, Driver, Lap, Layout, PracticeSession, Run, TrackRow
from fleet_rival.services.drive.importing import session_ids
from fleet_rival.services.drive.runs.arrive import keep_laps
from fleet_rival.services.drive.runs.declare import waiting_runs
from fleet_rival.services.drive.runs.places import Place
from fleet_rival.services.shared.base import Actor, begin_change
from fleet_rival.services.shared.errors import NotThere, Refused
from fleet_rival.services.track.tracks import load_track

__all__ = ["Delivered", "Delivery", "Known", "Landing", "deliver", "deliver_within", "landing_of"]


@dataclass(frozen=True, slots=True)
class Delivery:
    """What a rig sends: whose laps, where, and in which session of its own."""

    track: str
    layout: str
    car: str
    driver: str
    session: str
    laps: tuple[CoreLap, ...]
    session_local: datetime | None = None
    """Date and time of day inside the simulation when the session began."""
    places: Mapping[tuple[int, int], int] = field(default_factory=dict)
    """Run and number of a lap to its place in the run, from 0, so that laps may come in any order."""
    begun: Mapping[int, datetime] = field(default_factory=dict)
    """Run to when it began, where that is known without its first lap."""


@dataclass(frozen=True, slots=True)
class Delivered:
    """What became of a delivery."""

    added: int
    same: int
    different: int
    """There already with another time: what is there stays."""


@dataclass(frozen=True, slots=True)
class Landing:
    """The rows to which a delivery belongs."""

    combination: Combination
    track: Track
    practice: PracticeSession
    change_set: ChangeSet
    driver: Driver


def deliver(sessions: sessionmaker[Session], actor: Actor, delivery: Delivery) -> Delivered:
    """Take laps in from a rig. The same delivery twice changes nothing.

    All laps of one rig and session are one act in the history, so that they are taken back as one.

    Raises:
        NotThere: the team has no such combination, or no such driver.
        Refused: a lap that can't be right.
    """
    with sessions.begin() as session:
        return deliver_within(session, actor, delivery)


class Known:
    """What deliveries of one transaction share, looked up once: places, sessions, drivers."""

    def __init__(self, session: Session, actor: Actor) -> None:
        self._session, self._actor = session, actor
        self._places: dict[tuple[str, str, str], tuple[Combination, Layout, Track]] = {}
        self._practices: dict[tuple[int, str], tuple[PracticeSession, ChangeSet]] = {}
        self._drivers: dict[str, Driver] = {}
        self._declared: dict[tuple[int, int], bool] = {}

    def place(self, delivery: Delivery) -> tuple[Combination, Layout, Track]:
        key = (delivery.track, delivery.layout, delivery.car)
        if key not in self._places:
            row, layout = _combination(self._session, self._actor, delivery)
            self._places[key] = (row, layout, load_track(self._session, layout, centreline=False))
        return self._places[key]

    def practice(self, row: Combination, delivery: Delivery) -> tuple[PracticeSession, ChangeSet]:
        key = (row.id, delivery.session)
        if key not in self._practices:
            session_id, change_set = _session(self._session, self._actor, row, delivery)
            self._practices[key] = (self._session.get_one(PracticeSession, session_id), change_set)
        return self._practices[key]

    def maybe_declared(self, row: Combination, practice: PracticeSession) -> bool:
        """Whether any run was declared that laps of this session could belong to."""
        key = (row.id, practice.id)
        if key not in self._declared:
            of_session = (
                select(Run.id).where(Run.team_id == self._actor.team_id, Run.session_id == practice.id).limit(1)
            )
            waits = waiting_runs(self._session, self._actor, row)
            self._declared[key] = bool(waits) or self._session.scalar(of_session) is not None
        return self._declared[key]

    def driver(self, name: str) -> Driver:
        if name not in self._drivers:
            found = self._session.scalar(
                select(Driver).where(Driver.team_id == self._actor.team_id, Driver.name == name)
            )
            if found is None:
                raise NotThere(f"The team has no driver called {name}.")
            self._drivers[name] = found
        return self._drivers[name]


def deliver_within(session: Session, actor: Actor, delivery: Delivery, known: Known | None = None) -> Delivered:
    """The same within a transaction that is open.

    Args:
        known: shared by the deliveries of the transaction.

    Raises:
        NotThere: the team has no such combination, or no such driver.
        Refused: a lap that can't be right.
    """
    known = known or Known(session, actor)
    row, _, track = known.place(delivery)
    driver = known.driver(delivery.driver)
    landing = Landing(row, track, *known.practice(row, delivery), driver)
    maybe = known.maybe_declared(landing.combination, landing.practice)
    _check(landing.track, delivery.laps)
    numbers = {lap.number for lap in delivery.laps}
    own = (
        Lap.team_id == actor.team_id,
        Lap.session_id == landing.practice.id,
        Lap.driver_id == landing.driver.id,
        Lap.number.in_(numbers),
    )
    there = {
        (run, number): time
        for run, number, time in session.execute(select(Lap.run, Lap.number, Lap.time_us).where(*own))
    }
    new = {(lap.run, lap.number): lap for lap in delivery.laps if (lap.run, lap.number) not in there}
    runs: dict[int, list[CoreLap]] = {}
    for lap in new.values():
        # A car by another name than the combination's would be a group of its own.
        runs.setdefault(lap.run or 0, []).append(replace(lap, car=None))
    for number, laps in runs.items():
        place = Place(landing.combination, landing.practice, landing.driver, number)
        places = [delivery.places.get((number, lap.number)) for lap in laps]
        keep_laps(
            session,
            actor,
            place,
            laps,
            landing.change_set,
            delivery.begun.get(number, laps[0].started_at),
            places,
            maybe_declared=maybe,
        )
    again = [there[lap.run, lap.number] == lap.time_us for lap in delivery.laps if (lap.run, lap.number) in there]  # type: ignore[index]
    return Delivered(len(new), sum(again), len(again) - sum(again))


def landing_of(session: Session, actor: Actor, delivery: Delivery) -> Landing | None:
    """Where laps lie that this rig delivered in this session before; None: none has come, or they were taken back.

    Raises:
        NotThere: the team has no such combination, or no such driver.
    """
    known = Known(session, actor)
    row, _, track = known.place(delivery)
    driver = known.driver(delivery.driver)
    found = _begun_session(session, actor, row, delivery)
    return (
        Landing(row, track, session.get_one(PracticeSession, found[0]), found[1], driver) if found is not None else None
    )


def _combination(session: Session, actor: Actor, delivery: Delivery) -> tuple[Combination, Layout]:
    found = session.execute(
        select(Combination, Layout)
        .join(Car, (Car.team_id == Combination.team_id) & (Car.id == Combination.car_id))
        .join(Layout, (Layout.team_id == Combination.team_id) & (Layout.id == Combination.layout_id))
        .join(TrackRow, (TrackRow.team_id == Layout.team_id) & (TrackRow.id == Layout.track_id))
        .where(
            Combination.team_id == actor.team_id,
            TrackRow.name == delivery.track,
            Layout.name == delivery.layout,
            Car.name == delivery.car,
        )
        .with_for_update(of=Combination)
    ).first()
    if found is None:
        raise NotThere(f"The team doesn't prepare {delivery.car} on {delivery.track}, {delivery.layout}.")
    return found[0], found[1]


def _check(track: Track, laps: Sequence[CoreLap]) -> None:
    sectors, segments = {part.code for part in track.sector_parts}, {part.code for part in track.segment_parts}
    for lap in laps:
        if strange := (set(lap.sectors) - sectors) | (set(lap.segments) - segments):
            raise Refused(
                f"Lap {lap.number} has times for {', '.join(sorted(strange))}, which {track.name}, {track.layout} "
                "doesn't have."
            )


def _begun_session(
    session: Session, actor: Actor, row: Combination, delivery: Delivery
) -> tuple[int, ChangeSet] | None:
    """The session of this rig, and the act that its laps belong to."""
    query = (
        select(PracticeSession.id, ChangeSet)
        .join(ChangeSet, (ChangeSet.team_id == PracticeSession.team_id) & (ChangeSet.subject_id == PracticeSession.id))
        .where(
            PracticeSession.team_id == actor.team_id,
            PracticeSession.combination_id == row.id,
            PracticeSession.label == delivery.session,
        )
        .where(
            ChangeSet.subject_table == "practice_session",
            ChangeSet.rig_token_id == actor.rig_token_id,
            ChangeSet.turn.is_(None),
        )
        .where(ChangeSet.standing)
    )
    found = session.execute(query).first()
    return (found[0], found[1]) if found is not None else None


def _session(session: Session, actor: Actor, row: Combination, delivery: Delivery) -> tuple[int, ChangeSet]:
    """The same; both are made with the first delivery, and anew after an undo."""
    found = _begun_session(session, actor, row, delivery)
    if found is not None:
        return found
    change_set = begin_change(
        session, actor, "laps.deliver", f"Laps of {delivery.driver}, session {delivery.session}", row
    )
    begun = {delivery.session: delivery.session_local} if delivery.session_local else {}
    session_id = session_ids(session, actor, row, {delivery.session}, begun)[delivery.session]
    change_set.subject_table, change_set.subject_id = "practice_session", session_id
    session.flush()
    return session_id, change_set
