"""Runs as they are declared, remarks, what people say of a lap's marks, how files are read, weather within a session.

Revision ID: 0005
Revises: 0004
"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

_TABLE: dict[str, Any] = {"mysql_charset": "utf8mb4", "mysql_collate": "utf8mb4_nopad_bin", "mysql_engine": "InnoDB"}


def _own(table: str, *, public: bool = True) -> list[Any]:
    out: list[Any] = [
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{table}")),
        sa.UniqueConstraint("team_id", "id", name=op.f(f"uq_{table}_team_id_id")),
    ]
    if public:
        out += [
            sa.Column("public_id", sa.Uuid(), nullable=False),
            sa.Column("version", sa.Integer(), nullable=False),
            sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
            sa.UniqueConstraint("public_id", name=op.f(f"uq_{table}_public_id")),
        ]
    return out


def _within(table: str, column: str, other: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint(
        ["team_id", column], [f"{other}.team_id", f"{other}.id"], name=op.f(f"fk_{table}_team_id_{column}")
    )


def _to(table: str, column: str, other: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint([column], [f"{other}.id"], name=op.f(f"fk_{table}_{column}"))


def upgrade() -> None:
    op.add_column("person", sa.Column("reaction", sa.JSON(), nullable=True))
    op.add_column("practice_session", sa.Column("weather", sa.JSON(), nullable=True))
    op.add_column("practice_session", sa.Column("by_hand", sa.Boolean(), nullable=False, server_default="0"))
    op.add_column("lap_file", sa.Column("mapping", sa.JSON(), nullable=True))
    op.add_column("lap_file", sa.Column("mends", sa.JSON(), nullable=True))
    op.add_column("lap", sa.Column("said", sa.JSON(), nullable=True))
    op.add_column("lap", sa.Column("plus_minus_us", sa.BigInteger(), nullable=True))
    # What was said of a lap in two columns of its own is said of its marks.
    op.execute("UPDATE lap SET said = JSON_OBJECT('practice_only', TRUE) WHERE set_aside AND NOT alone")
    op.execute("UPDATE lap SET said = JSON_OBJECT('tow', FALSE) WHERE alone AND NOT set_aside")
    op.execute("UPDATE lap SET said = JSON_OBJECT('practice_only', TRUE, 'tow', FALSE) WHERE alone AND set_aside")
    op.drop_column("lap", "set_aside")
    op.drop_column("lap", "alone")
    op.create_table(
        "file_mapping",
        *_own("file_mapping", public=False),
        sa.Column("signature", sa.String(length=64), nullable=False),
        sa.Column("mapping", sa.JSON(), nullable=False),
        sa.Column("used_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.UniqueConstraint("team_id", "signature", name=op.f("uq_file_mapping_team_id_signature")),
        _to("file_mapping", "team_id", "team"),
        **_TABLE,
    )
    op.create_table(
        "run",
        *_own("run"),
        sa.Column("combination_id", sa.BigInteger(), nullable=False),
        sa.Column("driver_id", sa.BigInteger(), nullable=False),
        sa.Column("session_id", sa.BigInteger(), nullable=True),
        sa.Column("number", sa.BigInteger(), nullable=True),
        sa.Column("declared", sa.Boolean(), nullable=False),
        sa.Column("session_kind", sa.String(length=16), nullable=False),
        sa.Column("purpose", sa.String(length=16), nullable=True),
        sa.Column("tyre_set", sa.String(length=120), nullable=True),
        sa.Column("compound", sa.String(length=120), nullable=True),
        sa.Column("tyre_age", mysql.DOUBLE(), nullable=True),
        sa.Column("fuel_l", mysql.DOUBLE(), nullable=True),
        sa.Column("energy_kwh", mysql.DOUBLE(), nullable=True),
        sa.Column("setup", sa.String(length=120), nullable=True),
        sa.Column("settings", sa.JSON(), nullable=False),
        sa.Column("assists", sa.String(length=120), nullable=True),
        sa.Column("company", sa.String(length=16), nullable=True),
        sa.Column("official", sa.Boolean(), nullable=True),
        sa.Column("options", sa.String(length=500), nullable=True),
        sa.Column("watch", sa.JSON(), nullable=False),
        sa.Column("checks", sa.JSON(), nullable=False),
        sa.Column("handling", sa.JSON(), nullable=False),
        sa.Column("readings", sa.JSON(), nullable=False),
        sa.Column("note", sa.Text(), nullable=True),
        sa.UniqueConstraint(
            "team_id", "session_id", "driver_id", "number", name=op.f("uq_run_team_id_session_id_driver_id_number")
        ),
        _within("run", "combination_id", "combination"),
        _within("run", "session_id", "practice_session"),
        _within("run", "driver_id", "driver"),
        **_TABLE,
    )
    op.create_table(
        "remark",
        *_own("remark"),
        sa.Column("combination_id", sa.BigInteger(), nullable=False),
        sa.Column("lap_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("corner", sa.String(length=40), nullable=True),
        sa.Column("kind", sa.String(length=16), nullable=True),
        sa.Column("because", sa.String(length=16), nullable=True),
        sa.Column("text", sa.String(length=500), nullable=True),
        _within("remark", "combination_id", "combination"),
        _within("remark", "lap_id", "lap"),
        _to("remark", "person_id", "person"),
        **_TABLE,
    )
    op.create_index(op.f("ix_remark_team_id_combination_id"), "remark", ["team_id", "combination_id"])


def downgrade() -> None:
    op.drop_table("remark")
    op.drop_table("run")
    op.drop_table("file_mapping")
    op.add_column("lap", sa.Column("alone", sa.Boolean(), nullable=False, server_default="0"))
    op.add_column("lap", sa.Column("set_aside", sa.Boolean(), nullable=False, server_default="0"))
    op.execute("UPDATE lap SET set_aside = 1 WHERE JSON_VALUE(said, '$.practice_only') = '1'")
    op.execute("UPDATE lap SET alone = 1 WHERE JSON_VALUE(said, '$.tow') = '0'")
    op.drop_column("lap", "plus_minus_us")
    op.drop_column("lap", "said")
    op.drop_column("lap_file", "mends")
    op.drop_column("lap_file", "mapping")
    op.drop_column("practice_session", "by_hand")
    op.drop_column("practice_session", "weather")
    op.drop_column("person", "reaction")
