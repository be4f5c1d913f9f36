"""Combinations: which car is prepared on which layout."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.season.targets import BadTarget, Benchmark, Target, target_us
from fleet_rival.core.settings import BadSetting, Settings
from fleet_rival.db.tables import Car, Combination, Driver, Lap, Layout, SeriesWeekRow, TrackRow
from fleet_rival.services.shared.base import Actor, about, begin_change, check_version, find_row
from fleet_rival.services.shared.errors import Conflict, Refused
from fleet_rival.services.week.rows import load_weeks
from fleet_rival.wording.settings import THRESHOLDS

__all__ = [
    "CombinationView",
    "DriverView",
    "add_combination",
    "change_combination",
    "combination",
    "combinations",
    "remove_combination",
    "set_target",
    "settings_of",
    "target_of",
    "thresholds",
]

OPEN_SETTINGS = (
    "cold_laps",
    "cold_seconds",
    "solo_floor_s",
    "condition_minutes",
    "condition_air_c",
    "condition_track_c",
    "hand_timed_ideals",
)
"""Settings that a manager or coach sets for a combination; the others are the method's."""


@dataclass(frozen=True, slots=True)
class DriverView:
    """A driver with laps in a combination."""

    id: UUID
    name: str
    guest: bool
    laps: int


@dataclass(frozen=True, slots=True)
class CombinationWeek:
    """A series' week in which a combination is driven."""

    id: UUID
    series: str
    number: int
    begins_at: datetime
    ends_at: datetime


@dataclass(frozen=True, slots=True)
class CombinationView:
    """A combination in a list or at the head of its page."""

    id: UUID
    version: int
    car: str
    car_id: UUID
    track: str
    layout: str
    layout_id: UUID
    length_m: float
    note: str | None
    settings: dict[str, Any]
    target: dict[str, Any] | None
    benchmark: dict[str, Any] | None
    strike_limit: int | None
    incident_limit: int | None
    laps: int
    revision: int
    drivers: tuple[DriverView, ...]
    weeks: tuple[CombinationWeek, ...]
    """Of any series in which it is driven, the last one first."""


def add_combination(sessions: sessionmaker[Session], actor: Actor, layout_id: UUID, car_name: str) -> CombinationView:
    """Make a combination of a layout and a car; the car is made where it isn't known.

    Raises:
        Refused: no name for the car.
        Conflict: the combination exists.
        NotThere: no such layout.
    """
    name = " ".join(car_name.split())
    if not name or len(name) > 120:
        raise Refused("Give the car a name of 1 to 120 characters.")
    try:
        with sessions.begin() as session:
            layout = find_row(session, Layout, actor, layout_id, "layout")
            change_set = begin_change(session, actor, "combination.add", f"Added {name} on {_place(session, layout)}")
            car = session.scalar(select(Car).where(Car.team_id == actor.team_id, Car.name == name))
            if car is None:
                car = Car(team_id=actor.team_id, name=name)
                session.add(car)
                session.flush()
            row = Combination(team_id=actor.team_id, layout_id=layout.id, car_id=car.id, settings={})
            session.add(row)
            session.flush()
            about(session, change_set, row)
            public_id = row.public_id
    except IntegrityError as error:
        raise Conflict(f"{name} on this layout is already there. Open it and add the laps to it.") from error
    return combination(sessions, actor, public_id)


def change_combination(
    sessions: sessionmaker[Session],
    actor: Actor,
    public_id: UUID,
    version: int,
    note: str | None,
    settings: dict[str, Any],
    thresholds: dict[str, float] | None = None,
) -> CombinationView:
    """Change a combination's note and settings.

    Args:
        version: the one that the person looked at.
        settings: of `OPEN_SETTINGS`; what is missing or None goes back to its default.
        thresholds: of `THRESHOLDS`, in the same way; None leaves them as they are.

    Raises:
        Outdated: somebody changed it meanwhile.
        Refused: a setting that can't be used.
    """
    wanted = {name: value for name, value in settings.items() if value is not None}
    try:
        if unknown := wanted.keys() - set(OPEN_SETTINGS):
            raise BadSetting(f"there is no setting {', '.join(sorted(unknown))} here")
        if unknown := (thresholds or {}).keys() - THRESHOLDS.keys():
            raise BadSetting(f"there is no threshold {', '.join(sorted(unknown))} here")
        Settings.from_mapping(wanted | (thresholds or {}))
    except BadSetting as error:
        raise Refused(f"These settings can't be used: {error}.") from error
    with sessions.begin() as session:
        row = find_row(session, Combination, actor, public_id, "combination", lock=True)
        check_version(row, version, "combination")
        begin_change(session, actor, "combination.change", f"Changed {_name(session, row)}", row)
        row.note = (note or "").strip() or None
        replaced = {*OPEN_SETTINGS, *(THRESHOLDS if thresholds is not None else ())}
        row.settings = {
            **{name: value for name, value in row.settings.items() if name not in replaced},
            **wanted,
            **(thresholds or {}),
        }
    return combination(sessions, actor, public_id)


def set_target(
    sessions: sessionmaker[Session],
    actor: Actor,
    public_id: UUID,
    version: int,
    target: Target | None,
    benchmark: Benchmark | None,
    limits: tuple[int | None, int | None],
) -> CombinationView:
    """Set what a combination's drivers prepare for.

    Args:
        limits: strikes and incidents that a race allows.

    Raises:
        Outdated: somebody changed it meanwhile.
        Refused: a rule that can't be followed.
    """
    try:
        if target is not None:
            target.check(benchmark)
    except BadTarget as error:
        raise Refused(f"This target can't be used: {error}.") from error
    with sessions.begin() as session:
        row = find_row(session, Combination, actor, public_id, "combination", lock=True)
        check_version(row, version, "combination")
        begin_change(session, actor, "combination.target", f"Set the target of {_name(session, row)}", row)
        row.target = asdict(target) if target else None
        row.benchmark = asdict(benchmark) if benchmark else None
        row.strike_limit, row.incident_limit = limits
    return combination(sessions, actor, public_id)


def remove_combination(sessions: sessionmaker[Session], actor: Actor, public_id: UUID) -> None:
    """Remove a combination that has nothing in it.

    Raises:
        Conflict: it has laps or files.
    """
    try:
        with sessions.begin() as session:
            row = find_row(session, Combination, actor, public_id, "combination", lock=True)
            begin_change(session, actor, "combination.remove", f"Removed {_name(session, row)}", row)
            session.delete(row)
    except IntegrityError as error:
        raise Conflict(
            "This combination has laps or files. Take its imports back first; the files stay as the record."
        ) from error


def combinations(sessions: sessionmaker[Session], actor: Actor) -> list[CombinationView]:
    """All combinations of the team, newest first."""
    with sessions() as session:
        return _views(session, actor, None)


def combination(sessions: sessionmaker[Session], actor: Actor, public_id: UUID) -> CombinationView:
    """One combination.

    Raises:
        NotThere: the team has none like it.
    """
    with sessions() as session:
        find_row(session, Combination, actor, public_id, "combination")
        return _views(session, actor, public_id)[0]


def thresholds() -> list[dict[str, Any]]:
    """What a manager may set for one combination: name, words, default."""
    plain = Settings()
    return [{"name": name, "words": words, "usual": getattr(plain, name)} for name, words in THRESHOLDS.items()]


def target_of(row: Combination, ideal_us: int | None) -> int | None:
    """The combination's target lap, where its rule has something to go by.

    Args:
        ideal_us: the team's best linked ideal.
    """
    return target_us(
        Target(**row.target) if row.target else None, Benchmark(**row.benchmark) if row.benchmark else None, ideal_us
    )


def settings_of(row: Combination) -> Settings:
    """The combination's settings: the defaults, and what the manager changed."""
    return Settings.from_mapping(row.settings)


def _place(session: Session, layout: Layout) -> str:
    return f"{session.get_one(TrackRow, layout.track_id).name}, {layout.name}"


def _name(session: Session, row: Combination) -> str:
    return f"{session.get_one(Car, row.car_id).name} on {_place(session, session.get_one(Layout, row.layout_id))}"


def _views(session: Session, actor: Actor, public_id: UUID | None) -> list[CombinationView]:
    """Combinations with their drivers, in two queries however many there are."""
    team = actor.team_id
    heads: Any = (
        select(Combination, Car, TrackRow.name.label("track"), Layout)
        .join(Car, (Car.team_id == Combination.team_id) & (Car.id == Combination.car_id))
        .join(Layout, (Layout.team_id == Combination.team_id) & (Layout.id == Combination.layout_id))
        .join(TrackRow, (TrackRow.team_id == Layout.team_id) & (TrackRow.id == Layout.track_id))
        .where(Combination.team_id == team)
        .order_by(Combination.id.desc())
    )
    counts: Any = (
        select(Lap.combination_id, Driver.public_id, Driver.name, Driver.guest, func.count())
        .join(Driver, (Driver.team_id == Lap.team_id) & (Driver.id == Lap.driver_id))
        .where(Lap.team_id == team)
        .group_by(Lap.combination_id, Driver.id)
        .order_by(Driver.name)
    )
    if public_id is not None:
        heads = heads.where(Combination.public_id == public_id)
        counts = counts.where(
            Lap.combination_id
            == select(Combination.id)
            .where(Combination.team_id == team, Combination.public_id == public_id)
            .scalar_subquery()
        )
    if not actor.sees_all:
        counts = counts.where(Driver.id == actor.driver_id)
    drivers: dict[int, list[DriverView]] = {}
    for key, *rest in session.execute(counts):
        drivers.setdefault(key, []).append(DriverView(*rest))
    weeks = _weeks(session, actor)
    return [
        _view(row, car, track, layout, drivers.get(row.id, ()), weeks.get((row.layout_id, row.car_id), ()))
        for row, car, track, layout in session.execute(heads)
    ]


def _weeks(session: Session, actor: Actor) -> dict[tuple[int, int], list[CombinationWeek]]:
    """By layout and car."""
    out: dict[tuple[int, int], list[CombinationWeek]] = {}
    for item in sorted(
        load_weeks(session, actor, SeriesWeekRow.layout_id.is_not(None)),
        key=lambda item: item.facts.begins,
        reverse=True,
    ):
        made = CombinationWeek(item.row.public_id, item.facts.series, item.facts.week, *item.facts.window)
        for car in item.cars:
            out.setdefault((item.row.layout_id or 0, car.key), []).append(made)
    return out


def _view(
    row: Combination,
    car: Car,
    track: str,
    layout: Layout,
    drivers: Sequence[DriverView],
    weeks: Sequence[CombinationWeek],
) -> CombinationView:
    return CombinationView(
        row.public_id,
        row.version,
        car.name,
        car.public_id,
        track,
        layout.name,
        layout.public_id,
        layout.length_m,
        row.note,
        row.settings,
        row.target,
        row.benchmark,
        row.strike_limit,
        row.incident_limit,
        sum(driver.laps for driver in drivers),
        row.revision,
        tuple(drivers),
        tuple(weeks),
    )
