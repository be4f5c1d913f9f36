"""Column types that keep what the code relies on: UTC moments, exact JSON, short ids."""

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Dialect
from sqlalchemy.dialects.mysql import DATETIME
from sqlalchemy.types import TypeDecorator

__all__ = ["UtcDateTime"]


class UtcDateTime(TypeDecorator[datetime]):
    """A moment as `DATETIME(6)` in UTC. Refuses moments without a time zone."""

    impl = DATETIME(fsp=6)
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> Any:
        if value is None:
            return None
        if value.tzinfo is None:
            raise ValueError("a moment needs a time zone before it is stored")
        return value.astimezone(UTC).replace(tzinfo=None)

    def process_result_value(self, value: Any, dialect: Dialect) -> datetime | None:
        return None if value is None else value.replace(tzinfo=UTC)
