"""Blocks of practice, when the plan was made, and what each driver's seat time may be.

Revision ID: 0010
Revises: 0009
"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

_TABLE: dict[str, Any] = {"mysql_charset": "utf8mb4", "mysql_collate": "utf8mb4_nopad_bin", "mysql_engine": "InnoDB"}


def _within(table: str, column: str, other: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint(
        ["team_id", column], [f"{other}.team_id", f"{other}.id"], name=op.f(f"fk_{table}_team_id_{column}")
    )


def upgrade() -> None:
    op.create_table(
        "plan_block",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("driver_id", sa.BigInteger(), nullable=False),
        sa.Column("entry_id", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(length=16), nullable=False),
        sa.Column("about", sa.String(length=120), nullable=False),
        sa.Column("minutes", sa.Integer(), nullable=False),
        sa.Column("begins_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("rig_id", sa.BigInteger(), nullable=True),
        sa.Column("coach_id", sa.BigInteger(), nullable=True),
        sa.Column("locked", sa.Boolean(), nullable=False),
        sa.Column("gain_us", sa.Integer(), nullable=False),
        sa.Column("why", sa.String(length=16), nullable=False),
        sa.Column("numbers", sa.JSON(), nullable=False),
        sa.Column("public_id", sa.Uuid(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_plan_block")),
        sa.UniqueConstraint("team_id", "id", name=op.f("uq_plan_block_team_id_id")),
        sa.UniqueConstraint("public_id", name=op.f("uq_plan_block_public_id")),
        _within("plan_block", "driver_id", "driver"),
        _within("plan_block", "entry_id", "entry"),
        _within("plan_block", "rig_id", "resource"),
        _within("plan_block", "coach_id", "resource"),
        **_TABLE,
    )
    op.create_index(op.f("ix_plan_block_team_id_begins_at"), "plan_block", ["team_id", "begins_at"])
    op.create_table(
        "plan_made",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("value_us", mysql.DOUBLE(), nullable=False),
        sa.Column("bound_us", mysql.DOUBLE(), nullable=False),
        sa.Column("proven", sa.Boolean(), nullable=False),
        sa.Column("left_out", sa.JSON(), nullable=False),
        sa.Column("changed", sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_plan_made")),
        sa.UniqueConstraint("team_id", "name", name=op.f("uq_plan_made_team_id_name")),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_plan_made_team_id_team")),
        **_TABLE,
    )
    op.add_column("driver", sa.Column("care", sa.JSON(), nullable=True))
    op.execute("UPDATE driver SET care = '{}'")
    op.alter_column("driver", "care", existing_type=sa.JSON(), nullable=False)


def downgrade() -> None:
    op.drop_column("driver", "care")
    op.drop_table("plan_made")
    op.drop_table("plan_block")
