"""Traces and their files, uploads in pieces, and what rigs have sent.

Revision ID: 0006
Revises: 0005
"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

_TABLE: dict[str, Any] = {"mysql_charset": "utf8mb4", "mysql_collate": "utf8mb4_nopad_bin", "mysql_engine": "InnoDB"}


def _own(table: str) -> list[Any]:
    return [
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{table}")),
        sa.UniqueConstraint("team_id", "id", name=op.f(f"uq_{table}_team_id_id")),
    ]


def _within(table: str, column: str, other: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint(
        ["team_id", column], [f"{other}.team_id", f"{other}.id"], name=op.f(f"fk_{table}_team_id_{column}")
    )


def _to(table: str, column: str, other: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint([column], [f"{other}.id"], name=op.f(f"fk_{table}_{column}"))


def upgrade() -> None:
    op.create_table(
        "trace_file",
        *_own("trace_file"),
        sa.Column("sha256", sa.String(64), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.UniqueConstraint("team_id", "sha256", name=op.f("uq_trace_file_team_id_sha256")),
        _to("trace_file", "team_id", "team"),
        **_TABLE,
    )
    op.create_table(
        "trace",
        *_own("trace"),
        sa.Column("combination_id", sa.BigInteger(), nullable=False),
        sa.Column("lap_id", sa.BigInteger(), nullable=False),
        sa.Column("file_id", sa.BigInteger(), nullable=False),
        sa.Column("row_group", sa.Integer(), nullable=False),
        sa.Column("samples", sa.Integer(), nullable=False),
        sa.Column("rate_hz", mysql.DOUBLE(asdecimal=False), nullable=False),
        sa.Column("channels", sa.JSON(), nullable=False),
        sa.Column("stretches", sa.JSON(), nullable=False),
        sa.Column("crossings", sa.JSON(), nullable=False),
        sa.UniqueConstraint("team_id", "lap_id", name=op.f("uq_trace_team_id_lap_id")),
        sa.Index("ix_trace_team_id_combination_id", "team_id", "combination_id"),
        _within("trace", "combination_id", "combination"),
        _within("trace", "lap_id", "lap"),
        _within("trace", "file_id", "trace_file"),
        **_TABLE,
    )
    op.create_table(
        "upload",
        *_own("upload"),
        sa.Column("combination_id", sa.BigInteger(), nullable=True),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(255), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("received", sa.BigInteger(), nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("names", sa.JSON(), nullable=False),
        sa.Column("result", sa.JSON(), nullable=True),
        sa.Column("public_id", sa.Uuid(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.UniqueConstraint("public_id", name=op.f("uq_upload_public_id")),
        _within("upload", "combination_id", "combination"),
        _to("upload", "person_id", "person"),
        _to("upload", "team_id", "team"),
        **_TABLE,
    )
    op.create_table(
        "feed_entry",
        *_own("feed_entry"),
        sa.Column("rig_token_id", sa.BigInteger(), nullable=False),
        sa.Column("entry_key", sa.String(80), nullable=False),
        sa.Column("kind", sa.String(16), nullable=False),
        sa.Column("lap_key", sa.String(64), nullable=False),
        sa.Column("parts", sa.Integer(), nullable=False),
        sa.Column("due_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("reason", sa.String(300), nullable=True),
        sa.Column("content", mysql.MEDIUMBLOB(), nullable=True),
        sa.Column("came_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.UniqueConstraint("rig_token_id", "entry_key", name=op.f("uq_feed_entry_rig_token_id_entry_key")),
        sa.Index("ix_feed_entry_state_kind_due_at", "state", "kind", "due_at"),
        sa.Index("ix_feed_entry_rig_token_id_lap_key", "rig_token_id", "lap_key"),
        _to("feed_entry", "team_id", "team"),
        _to("feed_entry", "rig_token_id", "rig_token"),
        **_TABLE,
    )

    op.create_index("ix_lap_team_id_started_at", "lap", ["team_id", "started_at"])


def downgrade() -> None:
    op.drop_index("ix_lap_team_id_started_at", "lap")
    for table in ("feed_entry", "upload", "trace", "trace_file"):
        op.drop_table(table)
