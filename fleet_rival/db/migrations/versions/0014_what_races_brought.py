"""Results by start, what was expected before them, and how the points of several starts count.

Revision ID: 0014
Revises: 0013
"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None

_TABLE: dict[str, Any] = {"mysql_charset": "utf8mb4", "mysql_collate": "utf8mb4_nopad_bin", "mysql_engine": "InnoDB"}


def upgrade() -> None:
    op.add_column("series", sa.Column("starts_count", sa.String(length=16), nullable=False, server_default="best"))
    op.alter_column(
        "series", "starts_count", existing_type=sa.String(length=16), existing_nullable=False, server_default=None
    )
    op.add_column("race_sheet", sa.Column("expected", sa.JSON(), nullable=True))
    op.create_table(
        "race_result",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("entry_id", sa.BigInteger(), nullable=False),
        sa.Column("starts_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("qualifying_us", sa.BigInteger(), nullable=True),
        sa.Column("grid", sa.Integer(), nullable=True),
        sa.Column("finish", sa.Integer(), nullable=True),
        sa.Column("laps", sa.Integer(), nullable=True),
        sa.Column("stops", sa.JSON(), nullable=False),
        sa.Column("incidents", sa.JSON(), nullable=False),
        sa.Column("points", mysql.DOUBLE(asdecimal=False), nullable=True),
        sa.Column("note", sa.Text(), nullable=True),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("public_id", sa.Uuid(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_race_result")),
        sa.UniqueConstraint("team_id", "id", name=op.f("uq_race_result_team_id_id")),
        sa.UniqueConstraint("team_id", "entry_id", "starts_at", name=op.f("uq_race_result_team_id_entry_id_starts_at")),
        sa.UniqueConstraint("public_id", name=op.f("uq_race_result_public_id")),
        sa.ForeignKeyConstraint(
            ["team_id", "entry_id"], ["entry.team_id", "entry.id"], name=op.f("fk_race_result_team_id_entry_id")
        ),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_race_result_person_id_person")),
        **_TABLE,
    )


def downgrade() -> None:
    op.drop_table("race_result")
    op.drop_column("race_sheet", "expected")
    op.drop_column("series", "starts_count")
