"""Setups: versioned sheets of a car, what differs between two, and what each change brought."""

import json
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any
from uuid import UUID

from sqlalchemy import func, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.runs.setups import BadSetup, Difference, SetupSheet, SetupValue, differences, label_of
from fleet_rival.db.tables import (
    Car,
    Combination,
    Driver,
    Lap,
    Layout,
    Person,
    PracticeSession,
    Run,
    Setup,
    SetupVersion,
    TrackRow,
)
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.setups import read_setup, setup_csv, setup_json
from fleet_rival.services.find import pace
from fleet_rival.services.shared.base import Actor, about, begin_change, check_version, find_row, named
from fleet_rival.services.shared.errors import Conflict, NotThere, Refused
from fleet_rival.services.week.setup_sheets import sheet_of
from fleet_rival.wording.pace import setup_trial_words
from fleet_rival.wording.setups import run_told

__all__ = [
    "Brought",
    "SetupView",
    "VersionView",
    "add_setup",
    "add_version",
    "brought",
    "difference",
    "file_of",
    "remove_setup",
    "setup",
    "setups",
]


@dataclass(frozen=True, slots=True)
class VersionView:
    """A version of a setup."""

    number: int
    label: str
    """How runs name it."""
    purpose: str
    assists: str | None
    reason: str | None
    person: str
    created_at: datetime
    values: tuple[SetupValue, ...]
    changed: tuple[Difference, ...]
    """Over the version before."""
    laps: int
    """Driven with it."""


@dataclass(frozen=True, slots=True)
class SetupView:
    """A setup with its versions, the latest first."""

    id: UUID
    version: int
    name: str
    car_id: UUID
    car: str
    note: str | None
    versions: tuple[VersionView, ...]


@dataclass(frozen=True, slots=True)
class Brought:
    """What a change from one version to another brought a driver, and how the runs felt."""

    combination_id: UUID
    place: str
    driver_id: UUID
    driver: str
    before: str
    after: str
    words: str
    one_change: bool
    """Whether only one value differs: only then it is known what brought it."""
    felt: tuple[str, ...]


def setups(sessions: sessionmaker[Session], actor: Actor, car_id: UUID | None = None) -> list[SetupView]:
    """The team's setups, of one car or all, by car and name."""
    with sessions() as session:
        return _views(session, actor, *(() if car_id is None else (Car.public_id == car_id,)))


def setup(sessions: sessionmaker[Session], actor: Actor, setup_id: UUID) -> SetupView:
    """One setup.

    Raises:
        NotThere: there is none.
    """
    with sessions() as session:
        row = find_row(session, Setup, actor, setup_id, "setup")
        return _views(session, actor, Setup.id == row.id)[0]


def _views(session: Session, actor: Actor, *which: Any) -> list[SetupView]:
    """Setups with their versions and what was driven with each, in three queries however many there are."""
    query = (
        select(Setup, Car)
        .join(Car, (Car.team_id == Setup.team_id) & (Car.id == Setup.car_id))
        .where(Setup.team_id == actor.team_id, *which)
    )
    rows = [(row, car) for row, car in session.execute(query.order_by(Car.name, Setup.name))]
    written: dict[int, list[tuple[SetupVersion, str]]] = {row.id: [] for row, _ in rows}
    versions = (
        select(SetupVersion, Person.name)
        .join(Person, Person.id == SetupVersion.person_id)
        .where(SetupVersion.team_id == actor.team_id, SetupVersion.setup_id.in_(written))
        .order_by(SetupVersion.number)
    )
    for item, person in session.execute(versions) if rows else ():
        written[item.setup_id].append((item, person))
    labels = {label_of(row.name, item.number) for row, _ in rows for item, _ in written[row.id]}
    driven = (
        select(Combination.car_id, Lap.setup, func.count())
        .join(Combination, (Combination.team_id == Lap.team_id) & (Combination.id == Lap.combination_id))
        .where(Lap.team_id == actor.team_id, Lap.setup.in_(labels))
        .group_by(Combination.car_id, Lap.setup)
    )
    laps = {(car, label): count for car, label, count in session.execute(driven)} if labels else {}
    return [_view(row, car, written[row.id], laps) for row, car in rows]


def _view(
    row: Setup, car: Car, written: Sequence[tuple[SetupVersion, str]], laps: Mapping[tuple[int, str | None], int]
) -> SetupView:
    told: list[VersionView] = []
    before: SetupSheet | None = None
    for item, person in written:
        sheet, label = sheet_of(row.name, item), label_of(row.name, item.number)
        changed = tuple(differences(before, sheet)) if before else ()
        about = (sheet.number, label, sheet.purpose, sheet.assists, sheet.reason, person, item.created_at, sheet.values)
        told.append(VersionView(*about, changed, laps.get((car.id, label), 0)))
        before = sheet
    return SetupView(row.public_id, row.version, row.name, car.public_id, car.name, row.note, tuple(reversed(told)))


def _text(values: Mapping[str, Any], name: str) -> str | None:
    return (values.get(name) or "").strip()[:2000] or None


def _read(name: str, values: Mapping[str, Any]) -> SetupSheet:
    lines = tuple(
        SetupValue(" ".join(item["name"].split()), item["value"].strip(), _text(item, "unit"), _text(item, "corner"))
        for item in values["values"]
    )
    if not lines:
        raise Refused("A setup needs at least one value.")
    try:
        return SetupSheet(name, 1, lines, values["purpose"], _text(values, "assists"), _text(values, "reason"))
    except BadSetup as error:
        raise Refused(f"The setup can't be so: {error}.") from error


def add_setup(
    sessions: sessionmaker[Session], actor: Actor, car_id: UUID, name: str, values: Mapping[str, Any]
) -> UUID:
    """Make a setup with its first version.

    Args:
        values: `values` (each with `name`, `value`, `unit`, `corner`), `purpose`, `assists`, `reason`, `note`; or
            `file`: the content of one.

    Raises:
        Conflict: the car has a setup of this name.
        Refused: it contradicts itself.
    """
    title = named(name, "setup")
    sheet = _from(title, values)
    with sessions.begin() as session:
        car = find_row(session, Car, actor, car_id, "car")
        same = (Setup.team_id == actor.team_id, Setup.car_id == car.id, Setup.name == title)
        if session.scalars(select(Setup.id).where(*same)).first() is not None:
            raise Conflict(
                f"{car.name} has a setup called {title} already. Write a new version of it, or choose another name."
            )
        change_set = begin_change(session, actor, "setup.add", f"Wrote the setup {title} of {car.name}")
        row = Setup(
            team_id=actor.team_id, car_id=car.id, name=title, note=(values.get("note") or "").strip()[:2000] or None
        )
        session.add(row)
        session.flush()
        about(session, change_set, row)
        session.add(_version(actor, row, 1, sheet))
        return row.public_id


def _from(title: str, values: Mapping[str, Any]) -> SetupSheet:
    if values.get("file") is None:
        return _read(title, values)
    try:
        return replace(read_setup(values["file"].encode(), title), name=title)
    except UnusableFile as error:
        raise Refused(str(error)) from error


def _version(actor: Actor, row: Setup, number: int, sheet: SetupSheet) -> SetupVersion:
    lines = [
        {"name": item.name, "value": item.value, "unit": item.unit, "corner": item.corner} for item in sheet.values
    ]
    told = {"purpose": sheet.purpose, "assists": sheet.assists, "reason": sheet.reason, "lines": lines}
    return SetupVersion(team_id=actor.team_id, setup_id=row.id, person_id=actor.person_id, number=number, **told)


def add_version(
    sessions: sessionmaker[Session], actor: Actor, setup_id: UUID, latest: int, values: Mapping[str, Any]
) -> SetupView:
    """Write another version.

    Args:
        latest: the number of the version that the person looked at.

    Raises:
        Conflict: somebody wrote one meanwhile, or nothing is other than in the latest.
    """
    with sessions.begin() as session:
        row = find_row(session, Setup, actor, setup_id, "setup", lock=True)
        own = (SetupVersion.team_id == actor.team_id, SetupVersion.setup_id == row.id)
        last = session.scalars(select(SetupVersion).where(*own).order_by(SetupVersion.number.desc()).limit(1)).one()
        if last.number != latest:
            raise Conflict(
                f"Somebody wrote version {last.number} while you were looking at {latest}. Nothing of yours is written "
                "yet."
            )
        sheet, before = _from(row.name, values), sheet_of(row.name, last)
        if not differences(before, sheet) and (sheet.purpose, sheet.assists) == (before.purpose, before.assists):
            raise Conflict("Nothing is other than in the latest version.")
        begin_change(session, actor, "setup.change", f"Wrote {label_of(row.name, last.number + 1)}", row)
        session.add(_version(actor, row, last.number + 1, sheet))
    return setup(sessions, actor, setup_id)


def remove_setup(sessions: sessionmaker[Session], actor: Actor, setup_id: UUID, version: int) -> None:
    """Take a setup away with its versions; runs keep its name."""
    with sessions.begin() as session:
        row = find_row(session, Setup, actor, setup_id, "setup", lock=True)
        check_version(row, version, "setup")
        begin_change(session, actor, "setup.remove", f"Took away the setup {row.name}", row)
        for item in session.scalars(
            select(SetupVersion).where(SetupVersion.team_id == actor.team_id, SetupVersion.setup_id == row.id)
        ):
            session.delete(item)
        session.flush()
        session.delete(row)


def _sheets(session: Session, actor: Actor, setup_id: UUID) -> dict[int, SetupSheet]:
    row = find_row(session, Setup, actor, setup_id, "setup")
    rows = session.scalars(
        select(SetupVersion).where(SetupVersion.team_id == actor.team_id, SetupVersion.setup_id == row.id)
    )
    return {item.number: sheet_of(row.name, item) for item in rows}


def difference(
    sessions: sessionmaker[Session], actor: Actor, setup_id: UUID, first: int, second: int, other_id: UUID | None = None
) -> list[Difference]:
    """What differs between two versions, of one setup or of two.

    Raises:
        NotThere: one of them isn't there.
    """
    with sessions() as session:
        one, other = _sheets(session, actor, setup_id), _sheets(session, actor, other_id or setup_id)
    if first not in one or second not in other:
        raise NotThere("One of these versions doesn't exist.")
    return differences(one[first], other[second])


def file_of(sessions: sessionmaker[Session], actor: Actor, setup_id: UUID, number: int, form: str) -> tuple[bytes, str]:
    """A version as a file of a form, `csv` or `json`, and its name.

    Raises:
        NotThere: it isn't there.
    """
    with sessions() as session:
        sheets = _sheets(session, actor, setup_id)
    if number not in sheets:
        raise NotThere("This version doesn't exist.")
    body = setup_csv(sheets[number]) if form == "csv" else setup_json(sheets[number])
    plain = (
        "".join(letter if letter.isascii() and letter.isalnum() else "-" for letter in sheets[number].name)
        .strip("-")
        .lower()
        or "setup"
    )
    return body, f"{plain}-v{number}.{form}"


def brought(sessions: sessionmaker[Session], actor: Actor, setup_id: UUID) -> list[Brought]:
    """What changes between versions of a setup brought, driver by driver, beside how the runs felt.

    Only what the actor may see: a driver's own runs.
    """
    with sessions() as session:
        row = find_row(session, Setup, actor, setup_id, "setup")
        sheets = {
            label_of(row.name, number): sheet for number, sheet in sorted(_sheets(session, actor, setup_id).items())
        }
        query = (
            select(
                Combination.id,
                Combination.public_id,
                TrackRow.name,
                Layout.name,
                Driver.id,
                Driver.public_id,
                Driver.name,
            )
            .join(Lap, (Lap.team_id == Combination.team_id) & (Lap.combination_id == Combination.id))
            .join(Driver, (Driver.team_id == Lap.team_id) & (Driver.id == Lap.driver_id))
            .join(Layout, (Layout.team_id == Combination.team_id) & (Layout.id == Combination.layout_id))
            .join(TrackRow, (TrackRow.team_id == Layout.team_id) & (TrackRow.id == Layout.track_id))
            .where(Combination.team_id == actor.team_id, Combination.car_id == row.car_id, Lap.setup.in_(sheets))
            .distinct()
        )
        if not actor.sees_all:
            query = query.where(Driver.id == actor.driver_id)
        places = session.execute(query.order_by(Driver.name)).all()
        felt = _felt(session, actor, {place[0] for place in places}, list(sheets))
    out = []
    for combination_key, combination_id, track, layout, driver_key, driver_id, driver in places:
        told = json.loads(pace.driver_pace(sessions, actor, combination_id, driver_id)[0])
        for before, after, words in _changes(told, list(sheets)):
            one = len(differences(sheets[before], sheets[after])) == 1
            notes = tuple(felt.get((combination_key, driver_key, after), ()))
            where = (combination_id, f"{track}, {layout}", driver_id, driver)
            out.append(Brought(*where, before, after, words, one, notes))
    return out


def _changes(told: Mapping[str, Any], labels: Sequence[str]) -> list[tuple[str, str, str]]:
    """Which versions a driver drove of which one followed the other, the older one first, and what is told of them.

    Args:
        told: the driver's page, after `services.find.pace`.
        labels: of the versions, the oldest first.
    """
    found: dict[tuple[str, str], str] = {}
    for option in told["options"]:
        sides = [side["label"] for side in option["sides"]]
        if option["where"] == "setup" and all(label in labels for label in sides):
            before, after = sorted(sides, key=labels.index)
            if labels.index(after) - labels.index(before) == 1:
                found[before, after] = setup_trial_words(before, after, option["race"])
    # Where whole runs of both are known, the clock and the tyres' age are told with it.
    for change in told["setup_changes"]:
        pair = (change["before"], change["after"])
        if all(label in labels for label in pair):
            found.pop((pair[1], pair[0]), None)
            found[pair] = change["words"]
    return [(*pair, words) for pair, words in found.items()]


def _felt(
    session: Session, actor: Actor, combinations: Collection[int], labels: Sequence[str]
) -> dict[tuple[int, int, str | None], list[str]]:
    """Notes on how runs felt, by combination, driver and the setup that was on."""
    query = (
        select(Run, PracticeSession.label)
        .join(PracticeSession, (PracticeSession.team_id == Run.team_id) & (PracticeSession.id == Run.session_id))
        .where(Run.team_id == actor.team_id, Run.combination_id.in_(combinations), Run.setup.in_(labels))
        .order_by(Run.id)
    )
    out: dict[tuple[int, int, str | None], list[str]] = {}
    for run, label in session.execute(query) if combinations else ():
        if run.note or run.handling:
            told = run_told(label, run.number, run.note)
            out.setdefault((run.combination_id, run.driver_id, run.setup), []).append(told)
    return out
