"""Which tables and columns a package holds, and how a cell and a database value say the same."""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date, datetime
from functools import cache
from typing import Any, Final, get_args, get_origin
from uuid import UUID

import orjson
from sqlalchemy import JSON, Boolean, Date, Float, Integer, String, Uuid, inspect
from sqlalchemy.dialects.mysql import LONGBLOB, MEDIUMBLOB
from sqlalchemy.orm import Mapper

from fleet_rival.core.dates import read_day, read_moment
from fleet_rival.core.texts import BadText, tidy
from fleet_rival.core.units import DEFAULTS, in_units
from fleet_rival.db.tables import Base
from fleet_rival.db.types import UtcDateTime
from fleet_rival.formats.packages import PackageField, PackageTable
from fleet_rival.wording.files import LEFT_OUT

__all__ = ["TELEMETRY", "BadCell", "Column", "PlainTable", "plain_tables"]

TELEMETRY: Final = ("trace_file", "trace")
"""Tables of traces, of which the files are large: they go along where that is wanted."""
_LEFT_OUT_COLUMNS: Final = frozenset(
    {
        ("person", "sign_in_name"),
        ("person", "password_hash"),
        ("person", "version"),
        ("change_set", "rig_token_id"),
        ("change_set", "subject_table"),
        ("change_set", "subject_id"),
        ("change_set", "takes_back_id"),
        ("change_set", "original_id"),
        ("change_set", "turn"),
        ("change_set", "standing"),
        ("lap_file", "look"),
    }
)
_WHOLE_NUMBERS: Final = 2**63


class BadCell(ValueError):
    """A cell that can't be a value of its column; the message is the end of a sentence."""


@dataclass(frozen=True, slots=True)
class Column:
    """A column of a table in a package.

    Attributes:
        write: a database value, as the driver gives it, as a cell.
        read: a cell as the driver takes it.
    """

    field: PackageField
    write: Callable[[Any], str]
    read: Callable[[str], Any]

    @property
    def name(self) -> str:
        return self.field.name


@dataclass(frozen=True, slots=True)
class PlainTable:
    """A table as packages know it: without keys of this installation."""

    name: str
    columns: tuple[Column, ...]
    description: str
    of_team: bool
    """Whether it has a `team_id`."""

    @property
    def package(self) -> PackageTable:
        return PackageTable(
            self.name,
            (PackageField("key", "integer", required=True), *(item.field for item in self.columns)),
            self.description,
        )

    @property
    def refers(self) -> dict[str, str]:
        """Column to the table that it names a row of."""
        return {item.name: item.field.refers_to for item in self.columns if item.field.refers_to}


@cache
def plain_tables() -> tuple[PlainTable, ...]:
    """All tables of a package, each behind those that it refers to."""
    mappers: dict[str, Mapper[Any]] = {mapper.local_table.name: mapper for mapper in Base.registry.mappers}  # type: ignore[attr-defined]
    return tuple(_plain(mappers[table.name]) for table in Base.metadata.sorted_tables if table.name not in LEFT_OUT)


def _plain(mapper: Mapper[Any]) -> PlainTable:
    table: Any = mapper.local_table
    refers: dict[str, str] = {}
    for constraint in table.foreign_key_constraints:
        for key in constraint.elements:
            refers[key.parent.name] = key.column.table.name
    columns = []
    for column in table.columns:
        if column.name in ("id", "team_id") or (table.name, column.name) in _LEFT_OUT_COLUMNS:
            continue
        other = refers.get(column.name)
        kind = "integer" if other else _kind(mapper, column)
        write, read = _converters(kind, column)
        columns.append(Column(PackageField(column.name, kind, not column.nullable, other), write, read))
    about = (mapper.class_.__doc__ or "").strip().partition("\n")[0]
    return PlainTable(table.name, tuple(columns), about, "team_id" in table.columns)


def _kind(mapper: Mapper[Any], column: Any) -> str:
    kinds: tuple[tuple[type, str], ...] = (
        (JSON, ""),
        (Boolean, "boolean"),
        (Integer, "integer"),
        (Float, "number"),
        (UtcDateTime, "moment"),
        (Date, "date"),
        (Uuid, "uuid"),
        (LONGBLOB, "file"),
        (MEDIUMBLOB, "file"),
        (String, "string"),
    )
    kind = next(kind for known, kind in kinds if isinstance(column.type, known))
    if kind:
        return kind
    told = inspect(mapper.class_).class_.__annotations__[mapper.get_property_by_column(column).key]
    return "array" if _holds_list(told) else "object"


def _holds_list(told: Any) -> bool:
    return get_origin(told) is list or any(_holds_list(part) for part in get_args(told))


def _converters(kind: str, column: Any) -> tuple[Callable[[Any], str], Callable[[str], Any]]:
    required = not column.nullable
    kinds: Mapping[str, tuple[Callable[[Any], str], Callable[[str], Any]]] = {
        "integer": (str, _whole),
        "number": (repr, _number),
        "boolean": (lambda value: "true" if value else "false", _boolean),
        "moment": (_moment_cell, _moment),
        "date": (date.isoformat, _date),
        "uuid": (lambda value: str(UUID(str(value))), _uuid),
        "object": (_json_cell, _json_of(dict, required=required)),
        "array": (_json_cell, _json_of(list, required=required)),
        "string": (str, _text_of(getattr(column.type, "length", None))),
        "file": (str, str),
    }
    write, read = kinds[kind]

    def cell(value: Any) -> str:
        return "" if value is None else write(value)

    def value_of(text: str) -> Any:
        if text == "" and kind != "string":
            if required:
                raise BadCell("is empty")
            return None
        if text == "" and not required:
            return None
        return read(text)

    return cell, value_of


def _whole(text: str) -> int:
    try:
        value = int(text)
    except ValueError:
        raise BadCell("isn't a whole number") from None
    if not -_WHOLE_NUMBERS <= value < _WHOLE_NUMBERS:
        raise BadCell("is too large a number")
    return value


def _number(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        raise BadCell("isn't a number") from None
    if not math.isfinite(value):
        raise BadCell("isn't a number")
    return value


def _boolean(text: str) -> int:
    if text not in ("true", "false"):
        raise BadCell("isn't true or false")
    return int(text == "true")


def _moment_cell(value: datetime) -> str:
    return f"{value:%Y-%m-%dT%H:%M:%S.%f}Z"


def _moment(text: str) -> datetime:
    try:
        return read_moment(text).replace(tzinfo=None)
    except ValueError:
        raise BadCell("isn't a moment such as 2031-04-07T18:30:00.000000Z") from None


def _date(text: str) -> date:
    try:
        return read_day(text)
    except ValueError:
        raise BadCell("isn't a day such as 2031-04-07") from None


def _uuid(text: str) -> str:
    try:
        return UUID(text).hex
    except ValueError:
        raise BadCell("isn't an identifier") from None


def _json_cell(value: Any) -> str:
    # Files keep the units in which everything is kept.
    return in_units(value if isinstance(value, str) else bytes(value).decode(), DEFAULTS)


def _json_of(wanted: type, *, required: bool) -> Callable[[str], str]:
    def read(text: str) -> str:
        try:
            value = orjson.loads(text)
        except orjson.JSONDecodeError:
            raise BadCell("isn't JSON") from None
        # Nothing may stand there as JSON's own word for it.
        if not isinstance(value, wanted) and (required or value is not None):
            raise BadCell("isn't a list" if wanted is list else "isn't an object")
        return text

    return read


def _text_of(most: int | None) -> Callable[[str], str]:
    def read(text: str) -> str:
        if most is not None and len(text) > most:
            raise BadCell(f"has more than {most} characters")
        try:
            # Nothing is made other: the package must come out as it went in.
            tidy(text)
        except BadText as error:
            raise BadCell(str(error)) from error
        return text

    return read
