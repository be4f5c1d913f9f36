"""What people say of passes, exercises and who works on what, setups, and laps at even metres.

Revision ID: 0008
Revises: 0007
"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0008"
down_revision = "0007"
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
    op.create_table(
        "lap_curve",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("lap_id", sa.BigInteger(), nullable=False),
        sa.Column("file_id", sa.BigInteger(), nullable=False),
        sa.Column("row_group", sa.Integer(), nullable=False),
        sa.Column("body", mysql.MEDIUMBLOB(), nullable=False),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_lap_curve")),
        sa.UniqueConstraint("team_id", "lap_id", name=op.f("uq_lap_curve_team_id_lap_id")),
        _to("lap_curve", "team_id", "team"),
        **_TABLE,
    )
    op.create_table(
        "correction",
        *_own("correction"),
        sa.Column("combination_id", sa.BigInteger(), nullable=False),
        sa.Column("lap_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("corner", sa.String(length=40), nullable=False),
        sa.Column("kind", sa.String(length=16), nullable=True),
        sa.Column("cause_corner", sa.String(length=40), nullable=True),
        sa.Column("no_mistake", sa.Boolean(), nullable=False),
        sa.Column("remark", sa.String(length=500), nullable=True),
        sa.UniqueConstraint("team_id", "lap_id", "corner", name=op.f("uq_correction_team_id_lap_id_corner")),
        _within("correction", "combination_id", "combination"),
        _within("correction", "lap_id", "lap"),
        _to("correction", "person_id", "person"),
        **_TABLE,
    )
    op.create_index(op.f("ix_correction_team_id_combination_id"), "correction", ["team_id", "combination_id"])
    op.create_table(
        "like_kind",
        *_own("like_kind"),
        sa.Column("combination_id", sa.BigInteger(), nullable=False),
        sa.Column("driver_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("corner", sa.String(length=40), nullable=False),
        sa.Column("rule_kind", sa.String(length=16), nullable=False),
        sa.Column("kind", sa.String(length=16), nullable=False),
        sa.UniqueConstraint(
            *("team_id", "combination_id", "driver_id", "corner", "rule_kind"),
            name=op.f("uq_like_kind_team_id_combination_id_driver_id_corner_rule_kind"),
        ),
        _within("like_kind", "combination_id", "combination"),
        _within("like_kind", "driver_id", "driver"),
        _to("like_kind", "person_id", "person"),
        **_TABLE,
    )
    op.create_table(
        "exercise",
        *_own("exercise"),
        sa.Column("code", sa.String(length=40), nullable=False),
        sa.Column("kind", sa.String(length=16), nullable=False),
        sa.Column("title", sa.String(length=120), nullable=False),
        sa.Column("cause", sa.Text(), nullable=False),
        sa.Column("feel", sa.Text(), nullable=False),
        sa.Column("work", sa.Text(), nullable=False),
        sa.Column("of_passes", sa.Integer(), nullable=False),
        sa.Column("good_passes", sa.Integer(), nullable=False),
        sa.UniqueConstraint("team_id", "code", name=op.f("uq_exercise_team_id_code")),
        _to("exercise", "team_id", "team"),
        **_TABLE,
    )
    op.create_table(
        "assignment",
        *_own("assignment"),
        sa.Column("combination_id", sa.BigInteger(), nullable=False),
        sa.Column("driver_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("corner", sa.String(length=40), nullable=False),
        sa.Column("kind", sa.String(length=16), nullable=False),
        sa.Column("title", sa.String(length=120), nullable=False),
        sa.Column("work", sa.Text(), nullable=False),
        sa.Column("of_passes", sa.Integer(), nullable=False),
        sa.Column("good_passes", sa.Integer(), nullable=False),
        sa.Column("begins_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("ended_at", mysql.DATETIME(fsp=6), nullable=True),
        _within("assignment", "combination_id", "combination"),
        _within("assignment", "driver_id", "driver"),
        _to("assignment", "person_id", "person"),
        **_TABLE,
    )
    op.create_index(
        op.f("ix_assignment_team_id_combination_id_driver_id"), "assignment", ["team_id", "combination_id", "driver_id"]
    )
    op.create_table(
        "setup",
        *_own("setup"),
        sa.Column("car_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("note", sa.Text(), nullable=True),
        sa.UniqueConstraint("team_id", "car_id", "name", name=op.f("uq_setup_team_id_car_id_name")),
        _within("setup", "car_id", "car"),
        **_TABLE,
    )
    op.create_table(
        "setup_version",
        *_own("setup_version"),
        sa.Column("setup_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("purpose", sa.String(length=16), nullable=False),
        sa.Column("assists", sa.String(length=120), nullable=True),
        sa.Column("reason", sa.Text(), nullable=True),
        sa.Column("lines", sa.JSON(), nullable=False),
        sa.UniqueConstraint("team_id", "setup_id", "number", name=op.f("uq_setup_version_team_id_setup_id_number")),
        _within("setup_version", "setup_id", "setup"),
        _to("setup_version", "person_id", "person"),
        **_TABLE,
    )


def downgrade() -> None:
    for table in ("setup_version", "setup", "assignment", "exercise", "like_kind", "correction", "lap_curve"):
        op.drop_table(table)
