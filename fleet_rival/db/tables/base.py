"""Conventions of all tables, and what their columns are made of."""

from datetime import datetime
from typing import Annotated, Any, ClassVar
from uuid import UUID

from sqlalchemy import JSON, BigInteger, ForeignKeyConstraint, Index, MetaData, String, Text, Uuid
from sqlalchemy.dialects.mysql import DOUBLE
from sqlalchemy.orm import DeclarativeBase, Mapped, declared_attr, mapped_column
from uuid6 import uuid7

from fleet_rival.clock import now
from fleet_rival.db.types import UtcDateTime

WRITTEN = "utf8mb4_unicode_nopad_ci"
"""How text is compared that is searched: without a difference of case or accents. Never for telling names apart."""
Written = Annotated[str, mapped_column(Text(collation=WRITTEN))]
Id = Annotated[int, mapped_column(BigInteger, primary_key=True, autoincrement=True)]
Key = Annotated[int, mapped_column(BigInteger)]
Label = Annotated[str, mapped_column(String(120))]
Code = Annotated[str, mapped_column(String(40))]
Word = Annotated[str, mapped_column(String(16))]
Metres = Annotated[float, mapped_column(DOUBLE(asdecimal=False))]
Quantity = Annotated[float, mapped_column(DOUBLE(asdecimal=False))]


class Base(DeclarativeBase):
    """Conventions for all tables: names of constraints, exact comparison of text, InnoDB."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(table_name)s_%(column_0_N_name)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
            "fk": "fk_%(table_name)s_%(column_0_N_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {datetime: UtcDateTime, dict[str, Any]: JSON, list[Any]: JSON}  # noqa: RUF012
    recorded: ClassVar[bool] = False
    """Whether each change of a row is kept in `change`; needs an open change set."""
    unrecorded_columns: ClassVar[frozenset[str]] = frozenset()
    """Of what isn't kept when it changes by itself, since it follows from other things."""
    shared: ClassVar[bool] = False
    """Made in passing by whoever names it first: stays when that is taken back and others bear on it."""
    __table_args__: Any = {  # noqa: RUF012
        "mysql_engine": "InnoDB",
        "mysql_charset": "utf8mb4",
        "mysql_collate": "utf8mb4_nopad_bin",
    }


def table_args(*constraints: Any) -> tuple[Any, ...]:
    """Constraints of a table, with the conventions of all tables behind them."""
    return (*constraints, Base.__table_args__)


def within_team(column: str, table: str, **options: Any) -> ForeignKeyConstraint:
    """A reference to another row of the same team."""
    return ForeignKeyConstraint(["team_id", column], [f"{table}.team_id", f"{table}.id"], **options)


def full_text(table: str, *columns: str) -> Index:
    """MariaDB's full text over columns that are compared as `WRITTEN`."""
    return Index(f"ix_{table}_text", *columns, mariadb_prefix="FULLTEXT")


class Public:
    """A row that the outside may name, and that tells when it was changed."""

    public_id: Mapped[UUID] = mapped_column(Uuid, default=uuid7, unique=True)
    version: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(default=now)

    @declared_attr.directive
    def __mapper_args__(cls) -> dict[str, Any]:
        return {"version_id_col": cls.version}
