"""A team comes in from an exchange package, with everything that is in it; nothing of it where one row can't be."""

import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from typing import IO, Any, Final
from uuid import UUID

from sqlalchemy import JSON, column, func, insert, select, text
from sqlalchemy import table as plain
from sqlalchemy.exc import DataError, IntegrityError, OperationalError
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import BROUGHT, Base, Person, Team
from fleet_rival.db.tenancy import for_all_teams
from fleet_rival.formats.errors import UnusableFile
from fleet_rival.formats.packages import PackageReader
from fleet_rival.services.drive.traces.reading import check_traces
from fleet_rival.services.exchange.export import file_path, trace_path
from fleet_rival.services.exchange.let_in import Brought, enter_team, members_of
from fleet_rival.services.exchange.tables import TELEMETRY, BadCell, PlainTable, plain_tables
from fleet_rival.services.shared.base import UNWATCHED, Actor, Work
from fleet_rival.services.shared.errors import Conflict, Refused
from fleet_rival.telemetry.store import store

__all__ = ["bring_team"]


_ROWS: Final = 2000
_TOLD_EVERY: Final = 10_000
"""Rows after which it is told how far it is, and asked whether it is still wanted."""
_OF_TABLES: Final = 0.97
_TRIES: Final = 3


@dataclass(frozen=True, slots=True)
class CameIn:
    """What is told of a team that came in the background.

    Attributes:
        newcomers: people who weren't known here.
    """

    team_id: UUID
    team: str
    rows: int
    newcomers: tuple[UUID, ...]


def bring_team(
    sessions: sessionmaker[Session], file: IO[bytes], who: Actor | None = None, work: Work = UNWATCHED
) -> Brought:
    """Make a team from a package.

    People who are here already are known again by their identifiers; the others come without a way in.

    Args:
        who: who brings it, and becomes a manager of it where they are none in it; None: the installation's own side.

    Raises:
        Refused: the file isn't a package, or a cell of it can't be; it says which.
        Conflict: the team, or a part of it, is here already.
    """
    try:
        package = PackageReader(file)
        tables = _checked(package)
        _keep_traces(package, tables)
        for _ in range(_TRIES - 1):
            with suppress(_Crossed):
                return _in_one(sessions, package, tables, who, work)
        return _in_one(sessions, package, tables, who, work)
    except UnusableFile as error:
        raise Refused(str(error)) from error
    except IntegrityError as error:
        raise Conflict(
            "This team, or a part of it, is here already: a package makes a new team, and doesn't add to one."
        ) from error
    except _Crossed as error:
        raise Conflict("Others write much at this moment: try again.") from error
    except (DataError, OperationalError) as error:
        raise Refused("The package holds a value that the database can't take.") from error


@dataclass(frozen=True, slots=True)
class _Progress:
    """Tells how far a table is, by the bytes of all tables, and asks whether the work is still wanted."""

    work: Work
    table: str
    before: int
    own: int
    whole: int

    def reading(self, rows: Iterable[dict[str, Any]]) -> Iterator[dict[str, Any]]:
        for number, row in enumerate(rows, 1):
            if number % _TOLD_EVERY == 0:
                self._tell(0.0, f"{number:,} rows read")
            yield row

    def coming_in(self, done: float) -> None:
        """A share of the table's rows is in."""
        self._tell(done, "coming in")

    def _tell(self, done: float, doing: str) -> None:
        self.work.step(_OF_TABLES * (self.before + done * self.own) / max(self.whole, 1), f"{self.table}: {doing}")


class _Crossed(Exception):
    """Somebody else took keys in the moment in which they were counted on."""


def _in_one(
    sessions: sessionmaker[Session], package: PackageReader, tables: Sequence[PlainTable], who: Actor | None, work: Work
) -> Brought:
    try:
        with sessions.begin() as session:
            return _bring(session, package, tables, who, work)
    except IntegrityError as error:
        if "PRIMARY" in str(error.orig):
            raise _Crossed from error
        raise


def _checked(package: PackageReader) -> list[PlainTable]:
    """The package's tables, in the order in which they come in."""
    known = {table.name: table for table in plain_tables()}
    if strange := sorted(package.columns.keys() - known.keys()):
        raise UnusableFile(
            f"The package has tables that aren't known here: {', '.join(strange)}. It may come from a newer version."
        )
    if missing := sorted(known.keys() - package.columns.keys() - set(TELEMETRY)):
        raise UnusableFile(f"Tables are missing in the package: {', '.join(missing)}.")
    for name, columns in package.columns.items():
        table = known[name]
        if strange := [
            column for column in columns if column != "key" and column not in {item.name for item in table.columns}
        ]:
            raise UnusableFile(f"The package's table {name} has columns that aren't known here: {', '.join(strange)}.")
        missing = [
            item.name
            for item in table.columns
            if item.name not in columns and item.field.required and not _has_default(name, item.name)
        ]
        if missing or columns[:1] != ["key"]:
            raise UnusableFile(f"Columns are missing in the package's table {name}: {', '.join(missing) or 'key'}.")
    return [table for table in plain_tables() if table.name in package.columns]


def _has_default(table: str, name: str) -> bool:
    return _default(Base.metadata.tables[table].c[name]) is not None


def _default(of: Any) -> Any:
    """What a column holds where nobody says anything: a plain value, or an empty list as it is kept; None: nothing
    says.
    """
    if of.default is None:
        return None
    if of.default.is_callable and isinstance(of.type, JSON):
        return json.dumps(of.default.arg(None))
    return of.default.arg if of.default.is_scalar else None


def _keep_traces(package: PackageReader, tables: Sequence[PlainTable]) -> None:
    """Files of traces go to their place before a row names them; who isn't named in the end is swept."""
    if not any(table.name == "trace_file" for table in tables):
        return
    at = package.columns["trace_file"].index("sha256")
    for number, row in package.rows("trace_file"):
        path = trace_path(row[at])
        if not package.has(path):
            raise UnusableFile(f"{path} is missing in the package, which row {number} of trace_file names.")
        with store().new_traces() as target, package.open(path) as source:
            while piece := source.read(1 << 20):
                target.write(piece)
            if target.digest != row[at]:
                raise UnusableFile(f"{path} isn't what its name says: the file was changed.")
        check_traces(row[at])


def _bring(
    session: Session, package: PackageReader, tables: Sequence[PlainTable], who: Actor | None, work: Work
) -> Brought:
    connection = session.connection()
    # Rows come with keys that are counted on from here, and each reference is checked below against what has come in.
    connection.execute(text("SET SESSION foreign_key_checks = 0"))
    try:
        maps: dict[str, Mapping[int, int]] = {}
        newcomers: frozenset[int] = frozenset()
        told = 0
        sizes = [package.size(table.name) for table in tables]
        for at, table in enumerate(tables):
            progress = _Progress(work, table.name, sum(sizes[:at]), sizes[at], sum(sizes))
            progress.coming_in(0.0)
            if table.name == "person":
                maps["person"], newcomers = _people(session, package, table)
                continue
            rows = list(progress.reading(_read(package, table)))
            base = _reserved(session, table.name, len(rows))
            maps[table.name] = {row["key"]: base + number for number, row in enumerate(rows, 1)}
            if len(maps[table.name]) != len(rows):
                raise UnusableFile(f"A key stands twice in the package's table {table.name}.")
            if table.name == "team" and len(rows) != 1:
                raise UnusableFile("The package must hold one team.")
            _insert(session, package, table, rows, maps, progress)
            told += len(rows)
        [team_id] = maps["team"].values()
        if who is not None:
            enter_team(session, team_id, who)
        team = session.get_one(Team, team_id)
        members = members_of(session, team_id)
        known = session.scalars(select(Person.public_id).where(Person.id.in_(newcomers)))
        work.finish(session, CameIn(team.public_id, team.name, told, tuple(known)))
        return Brought(team_id, team.public_id, team.name, told, members, newcomers)
    finally:
        connection.execute(text("SET SESSION foreign_key_checks = 1"))


def _read(package: PackageReader, table: PlainTable) -> Iterator[dict[str, Any]]:
    """A table's rows with their values, and each one's `key`."""
    names = package.columns[table.name]
    readers = {item.name: item.read for item in table.columns}
    for number, row in package.rows(table.name):
        out: dict[str, Any] = {}
        for name, cell in zip(names, row, strict=True):
            try:
                out[name] = int(cell) if name == "key" else readers[name](cell)
            except BadCell as error:
                raise UnusableFile(f"Row {number} of {table.name}: {name} {error}.") from error
            except ValueError as error:
                raise UnusableFile(f"Row {number} of {table.name}: {name} isn't a whole number.") from error
        yield out


def _reserved(session: Session, table: str, count: int) -> int:
    """The key behind which so many are free."""
    return (session.scalar(for_all_teams(select(func.max(Base.metadata.tables[table].c.id)))) or 0) if count else 0


def _insert(
    session: Session,
    package: PackageReader,
    table: PlainTable,
    rows: Sequence[dict[str, Any]],
    maps: Mapping[str, Mapping[int, int]],
    progress: _Progress,
) -> None:
    source = Base.metadata.tables[table.name]
    refers = table.refers
    files = [item.name for item in table.columns if item.field.kind == "file"]
    required = {item.name for item in table.columns if item.field.required}
    own = maps[table.name]
    fixed: dict[str, Any] = {"team_id": next(iter(maps["team"].values()))} if table.of_team else {}
    if table.name == "change_set":
        # What came with a team can't be taken back here: the rows before it aren't known.
        fixed |= {"turn": BROUGHT, "standing": 1}
    given = package.columns[table.name]
    names = [name for name in given if name != "key"]
    for item in table.columns:
        if item.name not in given and (default := _default(source.c[item.name])) is not None:
            fixed[item.name] = default
    values: list[dict[str, Any]] = []
    for row in rows:
        for name, other in refers.items():
            if row.get(name) is not None:
                key = maps.get(other, {}).get(row[name])
                if key is None:
                    raise UnusableFile(
                        f"Row {row['key']} of {table.name} names row {row[name]} of {other}, which isn't there."
                    )
                row[name] = key
        for name in files:
            row[name] = _file(package, table.name, row["key"], row[name])
        if any(row.get(name) is None for name in required & set(names)):
            raise UnusableFile(f"Row {row['key']} of {table.name} lacks a value that it needs.")
        values.append({"id": own[row["key"]], **fixed, **{name: row[name] for name in names}})
    taken = _as_it_is(table.name, ["id", *fixed, *names])
    # The last one first: whoever writes meanwhile counts on behind it.
    ordered = values[-1:] + values[:-1]
    for start in range(0, len(ordered), _ROWS):
        progress.coming_in(start / len(ordered))
        session.connection().execute(insert(taken), ordered[start : start + _ROWS])


def _as_it_is(name: str, columns: Sequence[str]) -> Any:
    """A table whose values are taken as they are: they have been read and checked one by one."""
    return plain(name, *(column(one) for one in columns))


def _file(package: PackageReader, table: str, key: int, cell: str) -> bytes:
    path = file_path(table, key)
    if cell != path or not package.has(path):
        raise UnusableFile(f"The file of row {key} of {table} is missing in the package: {path}.")
    with package.open(path) as content:
        return content.read()


def _people(session: Session, package: PackageReader, table: PlainTable) -> tuple[dict[int, int], frozenset[int]]:
    """People by their number in the package: those who are here already, and the others, without a way in; and who
    those are.
    """
    rows = list(_read(package, table))
    wanted = {row["key"]: UUID(row["public_id"]) for row in rows}

    def here() -> dict[UUID, int]:
        found = session.execute(select(Person.public_id, Person.id).where(Person.public_id.in_(wanted.values())))
        return {public: own for public, own in found}

    known = here()
    fresh = [
        {"version": 1} | {name: value for name, value in row.items() if name != "key"}
        for row in rows
        if wanted[row["key"]] not in known
    ]
    if fresh:
        session.connection().execute(insert(_as_it_is("person", list(fresh[0]))), fresh)
        known = here()
    return {key: known[public] for key, public in wanted.items()}, frozenset(
        known[UUID(item["public_id"])] for item in fresh
    )
