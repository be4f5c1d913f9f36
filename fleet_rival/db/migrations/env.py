"""How Alembic reaches the database."""

from typing import Any, Literal

from alembic import context
from alembic.autogenerate.api import AutogenContext

from fleet_rival.db.session import make_engine
from fleet_rival.db.tables import Base
from fleet_rival.db.types import UtcDateTime


def render_item(kind: str, item: Any, autogenerate: AutogenContext) -> str | Literal[False]:
    """Write our own types as what they are in the database: a migration must not change when the code does."""
    if kind == "type" and isinstance(item, UtcDateTime):
        autogenerate.imports.add("from sqlalchemy.dialects import mysql")
        return "mysql.DATETIME(fsp=6)"
    return False


engine = make_engine(context.config.attributes["url"])
with engine.connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, compare_type=True, render_item=render_item)
    with context.begin_transaction():
        context.run_migrations()
engine.dispose()
