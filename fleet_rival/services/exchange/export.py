"""A team's data as an exchange package: everything, or what belongs to some weeks of its series."""

import io
from collections.abc import Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from typing import IO, Any, Final
from uuid import UUID

from sqlalchemy import func, literal_column, or_, select
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import (
    Base,
    ChangeSet,
    Combination,
    Driver,
    Entry,
    Lap,
    Membership,
    SeriesWeekCar,
    SeriesWeekRow,
    Team,
)
from fleet_rival.formats.packages import PackageTable, write_package
from fleet_rival.services.exchange.tables import TELEMETRY, PlainTable, plain_tables
from fleet_rival.services.shared.base import UNWATCHED, Actor, Work, find_row
from fleet_rival.services.shared.errors import NotThere
from fleet_rival.services.week.combinations import settings_of
from fleet_rival.services.week.rows import load_weeks
from fleet_rival.services.week.stretches import Stretch, stretch_of
from fleet_rival.telemetry.store import store
from fleet_rival.wording.work import beside_tables

__all__ = ["export_driver", "export_team", "file_path", "package_name", "trace_path"]

_ROWS: Final = 2000
_TOLD_EVERY: Final = 10_000
"""Rows after which it is told how far it is, and asked whether it is still wanted."""
_FILES_EVERY: Final = 50
_OF_TABLES: Final = 0.9
"""Share of the work that is writing tables."""
_FILES: Final = frozenset({"lap_file", "season_file"})
"""Tables of files as they came: of single weeks they would bring along everything else that stood in them."""
_TEAMS_OWN: Final = ("file_mapping", "plan_made", "plan_rules", "exercise", "setup", "open_question", "book_picture")
"""Tables of work that is the team's, of which nothing is one driver's."""
_NAMELESS: Final[Mapping[str, Any]] = {"name": "Somebody", "preferences": "{}", "reaction": None}
_SLACK: Final = timedelta(days=7)


def export_team(
    sessions: sessionmaker[Session],
    actor: Actor,
    file: IO[bytes],
    week_ids: Collection[UUID] | None = None,
    *,
    telemetry: bool = False,
    work: Work = UNWATCHED,
) -> int:
    """Write a team's package.

    Args:
        week_ids: weeks of series of which alone entries, laps and what hangs on them go along; None: everything.
        telemetry: whether traces go along, of which the files are large.

    Returns:
        How many rows were written.

    Raises:
        NotThere: one of the weeks isn't the team's.
    """
    with _one_state(sessions) as session:
        only = (
            None
            if week_ids is None
            else _of_weeks(session, actor, [find_row(session, SeriesWeekRow, actor, key, "week") for key in week_ids])
        )
        return _write(
            session, actor, file, session.get_one(Team, actor.team_id).name, only, telemetry=telemetry, work=work
        )


def export_driver(
    sessions: sessionmaker[Session],
    actor: Actor,
    file: IO[bytes],
    driver_id: UUID,
    *,
    telemetry: bool = False,
    work: Work = UNWATCHED,
) -> int:
    """Write what is kept of one driver, for them to take along: profile, laps, what was said of them, entries,
    results and lessons.

    Names of others stand nowhere in it.

    Returns:
        How many rows were written.

    Raises:
        NotThere: no such driver, or not the actor's business.
    """
    with _one_state(sessions) as session:
        driver = find_row(session, Driver, actor, driver_id, "driver")
        # Figures may be open to colleagues; a profile and everything that was said isn't.
        if not actor.sees_all and driver.id != actor.driver_id:
            raise NotThere("This driver doesn't exist, or isn't yours to take along.")
        own = (Membership.team_id == actor.team_id, Membership.driver_id == driver.id)
        people = {None, *session.scalars(select(Membership.person_id).where(*own))}
        return _write(
            session,
            actor,
            file,
            driver.name,
            _of_driver(session, actor, driver),
            people,
            telemetry=telemetry,
            work=work,
        )


@contextmanager
def _one_state(sessions: sessionmaker[Session]) -> Iterator[Session]:
    """One state of everything, however long it takes and whatever people do meanwhile."""
    with sessions() as session:
        session.connection(execution_options={"isolation_level": "REPEATABLE READ"})
        yield session


def _write(
    session: Session,
    actor: Actor,
    file: IO[bytes],
    title: str,
    only: "Only | None",
    named: Collection[int | None] | None = None,
    *,
    telemetry: bool,
    work: Work,
) -> int:
    tables = [table for table in plain_tables() if telemetry or table.name not in TELEMETRY]
    keys = _keys(session, actor, tables, only)
    files: list[tuple[str, str, int]] = []
    told, whole = 0, max(1, sum(len(numbers) for numbers in keys.values()))

    def rows(table: PlainTable) -> Iterator[Sequence[str]]:
        nonlocal told
        for row in _rows(session, actor, table, keys, files, named):
            if told % _TOLD_EVERY == 0:
                work.step(_OF_TABLES * told / whole, f"{told:,} of {whole:,} rows written")
            told += 1
            yield row

    def others() -> Iterator[tuple[str, IO[bytes]]]:
        for number, item in enumerate(_others(session, actor, keys, files, telemetry=telemetry), 1):
            if number % _FILES_EVERY == 1:
                work.step(_OF_TABLES, beside_tables(number))
            yield item

    pairs: Iterator[tuple[PackageTable, Iterator[Sequence[str]]]] = ((table.package, rows(table)) for table in tables)
    write_package(file, title, pairs, others())
    return told


def file_path(table: str, number: int) -> str:
    """Where a file stands in a package that a row holds."""
    return f"files/{table}/{number}"


def trace_path(digest: str) -> str:
    """Where a file of traces stands in a package."""
    return f"telemetry/{digest}.parquet"


Keys = Mapping[str, Mapping[int, int]]
"""By table: inner key to the number in the package."""


def _keys(
    session: Session, actor: Actor, tables: Sequence[PlainTable], only: "Only | None"
) -> dict[str, dict[int, int]]:
    """Rows that go along, numbered in the order in which they were made."""
    out: dict[str, dict[int, int]] = {}
    people: set[int] = set()
    for table in tables:
        if table.name == "person":
            continue
        required = {
            name: other
            for name, other in table.refers.items()
            if next(item for item in table.columns if item.name == name).field.required
        }
        names = ["id", *table.refers]
        found: list[int] = []
        for row in _select(session, actor, table, names):
            values = dict(zip(names, row, strict=True))
            allowed = only is None or _goes_along(table, values, only, out)
            # What hangs on a row that stays at home stays with it.
            if allowed and all(other == "person" or values[name] in out[other] for name, other in required.items()):
                found.append(values["id"])
                people.update(
                    values[name]
                    for name, other in table.refers.items()
                    if other == "person" and values[name] is not None
                )
        out[table.name] = {key: number for number, key in enumerate(sorted(found), 1)}
    out["person"] = {key: number for number, key in enumerate(sorted(people), 1)}
    return out


def _select(session: Session, actor: Actor, table: PlainTable, names: Sequence[str]) -> Any:
    source = Base.metadata.tables[table.name]
    query: Any = select(*(literal_column(f"`{name}`") for name in names)).select_from(source).order_by(source.c.id)
    if table.of_team:
        query = query.where(source.c.team_id == actor.team_id)
    elif table.name == "team":
        query = query.where(source.c.id == actor.team_id)
    return session.execute(query.execution_options(yield_per=_ROWS))


def _rows(
    session: Session,
    actor: Actor,
    table: PlainTable,
    keys: Keys,
    files: list[tuple[str, str, int]],
    named: Collection[int | None] | None,
) -> Iterator[Sequence[str]]:
    """A table's rows as cells.

    Args:
        named: keys of the only people who are named; None: all of them.
    """
    own = keys[table.name]
    names = ["id", *(item.name for item in table.columns if item.field.kind != "file")]
    writers = [item.write for item in table.columns]
    refers = [(at, keys.get(other, {})) for at, item in enumerate(table.columns) if (other := item.field.refers_to)]
    held = [(at, item.name) for at, item in enumerate(table.columns) if item.field.kind == "file"]
    for row in _select(session, actor, table, names):
        number = own.get(row[0])
        if number is None:
            continue
        values = list(row[1:])
        for at, name in held:
            values.insert(at, file_path(table.name, number))
            files.append((table.name, name, row[0]))
        for at, numbers in refers:
            values[at] = numbers.get(values[at])
        if table.name == "person" and named is not None and row[0] not in named:
            values = [_NAMELESS.get(item.name, value) for item, value in zip(table.columns, values, strict=True)]
        yield [str(number), *(write(value) for write, value in zip(writers, values, strict=True))]


def _others(
    session: Session, actor: Actor, keys: Keys, files: Sequence[tuple[str, str, int]], *, telemetry: bool
) -> Iterator[tuple[str, IO[bytes]]]:
    """Files that rows hold, and files of traces; read one after the other."""
    for table, name, key in files:
        column = Base.metadata.tables[table].c
        content = session.scalar(select(column[name]).where(column.team_id == actor.team_id, column.id == key)) or b""
        yield file_path(table, keys[table][key]), io.BytesIO(content)
    if telemetry:
        source = Base.metadata.tables["trace_file"].c
        for key, digest in session.execute(
            select(source.id, source.sha256).where(source.team_id == actor.team_id).order_by(source.id)
        ):
            if key in keys["trace_file"]:
                with store().open_traces(digest) as traces:
                    yield trace_path(digest), traces


Only = Mapping[str, Collection[int]]
"""By table: inner keys of the rows that may go along, where that isn't all."""


def _of_weeks(session: Session, actor: Actor, rows: Sequence[SeriesWeekRow]) -> Only:
    """What belongs to some weeks: their entries, and the laps that are theirs with all that hangs on them."""
    weeks = {row.id for row in rows}
    loaded = load_weeks(session, actor)
    chosen = [item for item in loaded if item.row.id in weeks]
    team = actor.team_id
    cars = select(SeriesWeekCar.car_id).where(SeriesWeekCar.team_id == team, SeriesWeekCar.week_id.in_(weeks))
    places = {item.row.layout_id for item in chosen}
    combinations = session.scalars(
        select(Combination).where(
            Combination.team_id == team, Combination.layout_id.in_(places), Combination.car_id.in_(cars)
        )
    ).all()
    laps: set[int] = set()
    sessions: set[int] = set()
    changes: set[int] = set()
    for combination in combinations:
        stretches = [
            stretch_of(item, combination.car_id, loaded, settings_of(combination))
            for item in chosen
            if item.row.layout_id == combination.layout_id and item.has_car(combination.car_id)
        ]
        at = func.coalesce(Lap.started_at, ChangeSet.made_at)
        query = (
            select(Lap.id, Lap.session_id, Lap.change_set_id)
            .join(ChangeSet, (ChangeSet.team_id == Lap.team_id) & (ChangeSet.id == Lap.change_set_id))
            .where(
                Lap.team_id == team,
                Lap.combination_id == combination.id,
                or_(*(_within(at, stretch) for stretch in stretches)),
            )
        )
        for lap, practice, change in session.execute(query) if stretches else ():
            laps.add(lap)
            sessions.add(practice)
            changes.add(change)
    days = {str(row.begins) for row in rows} | {
        str(row.begins + timedelta(days=step)) for row in rows for step in range(-_SLACK.days, _SLACK.days)
    }
    return {
        "series_week": weeks,
        "entry": set(session.scalars(select(Entry.id).where(Entry.team_id == team, Entry.week_id.in_(weeks)))),
        "combination": {item.id for item in combinations},
        "lap": laps,
        "practice_session": sessions,
        "change_set": changes,
        "plan_made": set(_of_days(session, team, days)),
        **{name: () for name in _FILES},
    }


def _of_days(session: Session, team: int, days: Collection[str]) -> Sequence[int]:
    table = Base.metadata.tables["plan_made"].c
    return session.scalars(select(table.id).where(table.team_id == team, table.name.in_(days))).all()


def _within(at: Any, stretch: Stretch) -> Any:
    return (at >= stretch.since.astimezone(UTC)) & (at < stretch.until.astimezone(UTC))


def _of_driver(session: Session, actor: Actor, driver: Driver) -> Only:
    """What is one driver's, and where and when it was; nothing of the team's own work."""
    own = (Lap.team_id == actor.team_id, Lap.driver_id == driver.id)
    laps = session.execute(select(Lap.combination_id, Lap.session_id, Lap.change_set_id).where(*own).distinct()).all()
    team = Base.metadata.tables

    def theirs(name: str) -> Collection[int]:
        table = team[name].c
        return set(
            session.scalars(select(table.id).where(table.team_id == actor.team_id, table.driver_id == driver.id))
        )

    return {
        "driver": {driver.id},
        "combination": {row.combination_id for row in laps},
        "practice_session": {row.session_id for row in laps},
        "change_set": {row.change_set_id for row in laps},
        **{name: theirs(name) for name in ("membership", "lesson", "reference_point")},
        **dict.fromkeys((*_FILES, *_TEAMS_OWN), ()),
    }


def _goes_along(table: PlainTable, values: Mapping[str, Any], only: Only, kept: Keys) -> bool:
    if table.name in only and values["id"] not in only[table.name]:
        return False
    # What is about somebody who stays at home stays there too.
    return all(
        values[name] is None or values[name] in kept[other] for name, other in table.refers.items() if other == "driver"
    )


def package_name(team: str, moment: datetime) -> str:
    """What a package is called that somebody takes home."""
    kept = "".join(letter if letter.isalnum() else "-" for letter in team.lower()).strip("-")
    return f"{kept or 'team'}-{moment:%Y-%m-%d}.package.zip"
