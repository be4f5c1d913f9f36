"""Full text over what people write of laps, runs, corners and references.

Revision ID: 0016
Revises: 0015
"""

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None

_BEFORE = "utf8mb4_nopad_bin"
_SEARCHED = "utf8mb4_unicode_nopad_ci"
_TEXTS: dict[str, dict[str, tuple[int | None, bool]]] = {
    "remark": {"text": (500, True)},
    "run": {"note": (None, True)},
    "lap": {"note": (None, True)},
    "correction": {"remark": (500, True)},
    "reference_point": {"thing": (200, False), "offset_words": (200, False), "note": (None, True)},
    "open_question": {"text": (500, False), "answer": (1000, True)},
}
"""By table and column: how long a text is, None as long as it likes, and whether it may be missing."""


def upgrade() -> None:
    for table, columns in _TEXTS.items():
        _compare(table, columns, _SEARCHED)
        op.create_index(f"ix_{table}_text", table, list(columns), mariadb_prefix="FULLTEXT")


def downgrade() -> None:
    for table, columns in _TEXTS.items():
        op.drop_index(f"ix_{table}_text", table)
        _compare(table, columns, _BEFORE)


def _compare(table: str, columns: dict[str, tuple[int | None, bool]], collation: str) -> None:
    for name, (length, may_miss) in columns.items():
        kind: Any = sa.String(length, collation=collation) if length else sa.Text(collation=collation)
        op.alter_column(table, name, type_=kind, existing_nullable=may_miss)
