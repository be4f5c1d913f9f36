"""Keeps each change of what people enter: the rows before and after, written with the change itself.

Classes of `tables` with `recorded` set are watched. Changing such a row without an open change set is a mistake in the
code and fails, so that nothing can be overwritten without trace.
"""

from datetime import date, datetime
from typing import Any
from uuid import UUID

from sqlalchemy import Date, Uuid, event, insert, inspect
from sqlalchemy.orm import Session, UOWTransaction
from sqlalchemy.types import TypeEngine

from fleet_rival.db.tables import Base, Change, ChangeSet
from fleet_rival.db.types import UtcDateTime

__all__ = ["NotRecorded", "open_change_set", "plain_row", "row_from_plain", "watch"]

_KEPT_APART = frozenset({"id", "team_id", "version"})
"""Columns that a change names by itself."""


class NotRecorded(RuntimeError):
    """The code changes something that must be recorded, and opened no change set."""


def open_change_set(session: Session, change_set: ChangeSet) -> None:
    """From here to the end of the transaction, changes in this session belong to a change set."""
    session.info["change_set"] = change_set


def watch(session_class: type[Session]) -> None:
    """Watch all sessions of a class."""
    event.listen(session_class, "before_flush", _read_whole)
    event.listen(session_class, "after_flush", _record)
    event.listen(session_class, "after_transaction_end", _close)


def plain_row(values: dict[str, Any]) -> dict[str, Any]:
    """A row's values as JSON holds them."""
    return {name: _plain(value) for name, value in values.items()}


def row_from_plain(table: str, values: dict[str, Any]) -> dict[str, Any]:
    """A row's values as the database takes them, from what was kept; columns that no longer exist are left out."""
    columns = Base.metadata.tables[table].columns
    return {name: _typed(columns[name].type, value) for name, value in values.items() if name in columns}


def _plain(value: Any) -> Any:
    if isinstance(value, date):  # a datetime is one too
        return value.isoformat()
    return str(value) if isinstance(value, UUID) else value


def _typed(wanted: TypeEngine[Any], value: Any) -> Any:
    if isinstance(value, str) and isinstance(wanted, UtcDateTime):
        return datetime.fromisoformat(value)
    if isinstance(value, str) and isinstance(wanted, Date):
        return date.fromisoformat(value)
    return UUID(value) if isinstance(value, str) and isinstance(wanted, Uuid) else value


def _read_whole(session: Session, context: UOWTransaction, instances: Any) -> None:
    """Columns that are read only when they are asked for can't be read any more once their row is gone."""
    for row in session.deleted:
        if type(row).recorded:
            for name in _columns(row):
                getattr(row, name)


def _record(session: Session, context: UOWTransaction) -> None:
    rows = [_made(row) for row in session.new if type(row).recorded]
    rows += [_removed(row) for row in session.deleted if type(row).recorded]
    rows += [
        change for row in session.dirty if type(row).recorded and session.is_modified(row) and (change := _changed(row))
    ]
    if not rows:
        return
    change_set: ChangeSet | None = session.info.get("change_set")
    if change_set is None:
        raise NotRecorded(f"{', '.join(sorted({row['table_name'] for row in rows}))} changed outside of a change set")
    session.connection().execute(insert(Change), [{**row, "change_set_id": change_set.id} for row in rows])


def _close(session: Session, transaction: Any) -> None:
    if transaction.parent is None:
        session.info.pop("change_set", None)


def _columns(row: Base) -> list[str]:
    return [column.key for column in inspect(type(row)).column_attrs if column.key not in _KEPT_APART]


def _keys(row: Any) -> dict[str, Any]:
    # A team's own row belongs to itself.
    return {
        "team_id": getattr(row, "team_id", row.id),
        "table_name": row.__tablename__,
        "row_id": row.id,
        "version": getattr(row, "version", None),
    }


def _made(row: Base) -> dict[str, Any]:
    return {**_keys(row), "before": None, "after": {name: _plain(getattr(row, name)) for name in _columns(row)}}


def _removed(row: Base) -> dict[str, Any]:
    return {**_keys(row), "before": {name: _plain(getattr(row, name)) for name in _columns(row)}, "after": None}


def _changed(row: Base) -> dict[str, Any] | None:
    before: dict[str, Any] = {}
    after: dict[str, Any] = {}
    for name in set(_columns(row)) - type(row).unrecorded_columns:
        history = inspect(row).attrs[name].history
        if history.has_changes():
            before[name] = _plain(history.deleted[0] if history.deleted else None)
            after[name] = _plain(getattr(row, name))
    return {**_keys(row), "before": before, "after": after} if after else None
