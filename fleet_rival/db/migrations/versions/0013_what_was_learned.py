"""Short entries of what was learned, tied to where they hold.

Revision ID: 0013
Revises: 0012
"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None

_TABLE: dict[str, Any] = {"mysql_charset": "utf8mb4", "mysql_collate": "utf8mb4_nopad_bin", "mysql_engine": "InnoDB"}


def _within(column: str, other: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint(
        ["team_id", column], [f"{other}.team_id", f"{other}.id"], name=op.f(f"fk_lesson_team_id_{column}")
    )


def upgrade() -> None:
    op.create_table(
        "lesson",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("text", sa.String(length=500, collation="utf8mb4_unicode_nopad_ci"), nullable=False),
        sa.Column("layout_id", sa.BigInteger(), nullable=True),
        sa.Column("corner", sa.String(length=40), nullable=True),
        sa.Column("car_id", sa.BigInteger(), nullable=True),
        sa.Column("series_id", sa.BigInteger(), nullable=True),
        sa.Column("driver_id", sa.BigInteger(), nullable=True),
        sa.Column("condition", sa.String(length=16), nullable=True),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("confirmed_by_id", sa.BigInteger(), nullable=True),
        sa.Column("confirmed_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("public_id", sa.Uuid(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_lesson")),
        sa.UniqueConstraint("team_id", "id", name=op.f("uq_lesson_team_id_id")),
        sa.UniqueConstraint("public_id", name=op.f("uq_lesson_public_id")),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_lesson_team_id_team")),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_lesson_person_id_person")),
        sa.ForeignKeyConstraint(["confirmed_by_id"], ["person.id"], name=op.f("fk_lesson_confirmed_by_id_person")),
        _within("layout_id", "layout"),
        _within("car_id", "car"),
        _within("series_id", "series"),
        _within("driver_id", "driver"),
        **_TABLE,
    )
    op.create_index("ix_lesson_text", "lesson", ["text"], mariadb_prefix="FULLTEXT")


def downgrade() -> None:
    op.drop_table("lesson")
