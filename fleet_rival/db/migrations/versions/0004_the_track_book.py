"""The track book: what is written of corners, references, pictures, questions; layouts made from others, pit lanes.

Revision ID: 0004
Revises: 0003
"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

_TABLE: dict[str, Any] = {"mysql_charset": "utf8mb4", "mysql_collate": "utf8mb4_nopad_bin", "mysql_engine": "InnoDB"}
_LISTS = ("other_names", "traits", "kerbs", "limits", "passing")


def _own(table: str) -> list[Any]:
    return [
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("public_id", sa.Uuid(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{table}")),
        sa.UniqueConstraint("public_id", name=op.f(f"uq_{table}_public_id")),
        sa.UniqueConstraint("team_id", "id", name=op.f(f"uq_{table}_team_id_id")),
    ]


def _within(table: str, column: str, other: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint(
        ["team_id", column], [f"{other}.team_id", f"{other}.id"], name=op.f(f"fk_{table}_team_id_{column}")
    )


def _to(table: str, column: str, other: str) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint([column], [f"{other}.id"], name=op.f(f"fk_{table}_{column}"))


def upgrade() -> None:
    op.add_column("layout", sa.Column("derived_from_id", sa.BigInteger(), nullable=True))
    op.add_column("layout", sa.Column("derivation", sa.String(length=16), nullable=True))
    op.add_column("layout", sa.Column("pit_entry_m", mysql.DOUBLE(), nullable=True))
    op.add_column("layout", sa.Column("pit_exit_m", mysql.DOUBLE(), nullable=True))
    op.add_column("layout", sa.Column("pit_side", sa.String(length=16), nullable=True))
    op.add_column("layout", sa.Column("pit_limit_kmh", mysql.DOUBLE(), nullable=True))
    op.add_column("layout", sa.Column("pit_entry_note", sa.Text(), nullable=True))
    op.add_column("layout", sa.Column("pit_exit_note", sa.Text(), nullable=True))
    op.add_column("layout", sa.Column("edition", sa.Integer(), nullable=False, server_default="0"))
    op.create_foreign_key(
        op.f("fk_layout_team_id_derived_from_id"), "layout", "layout", ["team_id", "derived_from_id"], ["team_id", "id"]
    )
    op.add_column("layout_corner", sa.Column("public_id", sa.Uuid(), nullable=True))
    op.execute("UPDATE layout_corner SET public_id = UUID()")
    op.alter_column("layout_corner", "public_id", existing_type=sa.Uuid(), nullable=False)
    op.create_unique_constraint(op.f("uq_layout_corner_public_id"), "layout_corner", ["public_id"])
    op.add_column("layout_corner", sa.Column("version", sa.Integer(), nullable=False, server_default="1"))
    op.add_column(
        "layout_corner",
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False, server_default=sa.text("UTC_TIMESTAMP(6)")),
    )
    for name in _LISTS:
        op.add_column("layout_corner", sa.Column(name, sa.JSON(), nullable=False, server_default=sa.text("'[]'")))
    op.add_column("layout_corner", sa.Column("move", sa.String(length=120), nullable=True))
    op.add_column("layout_corner", sa.Column("given_up_for", sa.String(length=120), nullable=True))
    op.add_column("layout_corner", sa.Column("importance", sa.String(length=16), nullable=True))
    op.add_column("layout_corner", sa.Column("note", sa.Text(), nullable=True))
    op.create_table(
        "book_picture",
        *_own("book_picture"),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("content", mysql.MEDIUMBLOB(), nullable=False),
        _to("book_picture", "team_id", "team"),
        _to("book_picture", "person_id", "person"),
        **_TABLE,
    )
    op.create_table(
        "reference_point",
        *_own("reference_point"),
        sa.Column("layout_id", sa.BigInteger(), nullable=False),
        sa.Column("corner_id", sa.BigInteger(), nullable=False),
        sa.Column("point", sa.String(length=16), nullable=False),
        sa.Column("kind", sa.String(length=16), nullable=False),
        sa.Column("thing", sa.String(length=200), nullable=False),
        sa.Column("side", sa.String(length=16), nullable=True),
        sa.Column("offset_m", mysql.DOUBLE(), nullable=True),
        sa.Column("offset_words", sa.String(length=200), nullable=False),
        sa.Column("at_m", mysql.DOUBLE(), nullable=True),
        sa.Column("gear", sa.Integer(), nullable=True),
        sa.Column("brake_peak_pct", mysql.DOUBLE(), nullable=True),
        sa.Column("throttle", sa.String(length=16), nullable=True),
        sa.Column("harder_than", sa.String(length=120), nullable=True),
        sa.Column("lasts", sa.String(length=16), nullable=True),
        sa.Column("car_id", sa.BigInteger(), nullable=True),
        sa.Column("driver_id", sa.BigInteger(), nullable=True),
        sa.Column("variant", sa.String(length=16), nullable=False),
        sa.Column("state", sa.String(length=16), nullable=False),
        sa.Column("sure", sa.String(length=16), nullable=False),
        sa.Column("note", sa.Text(), nullable=True),
        sa.Column("proposed_by", sa.BigInteger(), nullable=False),
        sa.Column("settled_by", sa.BigInteger(), nullable=True),
        sa.Column("settled_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("picture_id", sa.BigInteger(), nullable=True),
        _within("reference_point", "layout_id", "layout"),
        _within("reference_point", "corner_id", "layout_corner"),
        _within("reference_point", "car_id", "car"),
        _within("reference_point", "driver_id", "driver"),
        _within("reference_point", "picture_id", "book_picture"),
        _to("reference_point", "proposed_by", "person"),
        _to("reference_point", "settled_by", "person"),
        **_TABLE,
    )
    op.create_index(op.f("ix_reference_point_team_id_layout_id"), "reference_point", ["team_id", "layout_id"])
    op.create_table(
        "open_question",
        *_own("open_question"),
        sa.Column("layout_id", sa.BigInteger(), nullable=False),
        sa.Column("corner_id", sa.BigInteger(), nullable=True),
        sa.Column("text", sa.String(length=500), nullable=False),
        sa.Column("asked_by", sa.BigInteger(), nullable=False),
        sa.Column("answer", sa.String(length=1000), nullable=True),
        sa.Column("answered_by", sa.BigInteger(), nullable=True),
        sa.Column("answered_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("closed_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("became", sa.String(length=16), nullable=True),
        sa.Column("reference_id", sa.BigInteger(), nullable=True),
        _within("open_question", "layout_id", "layout"),
        _within("open_question", "corner_id", "layout_corner"),
        _within("open_question", "reference_id", "reference_point"),
        _to("open_question", "asked_by", "person"),
        _to("open_question", "answered_by", "person"),
        **_TABLE,
    )
    op.create_index(op.f("ix_open_question_team_id_layout_id"), "open_question", ["team_id", "layout_id"])
    # It was kept and never asked for.
    op.execute("ALTER TABLE board_visit DROP COLUMN IF EXISTS began_at")


def downgrade() -> None:
    op.add_column(
        "board_visit",
        sa.Column("began_at", mysql.DATETIME(fsp=6), nullable=False, server_default=sa.text("UTC_TIMESTAMP(6)")),
    )
    op.drop_table("open_question")
    op.drop_table("reference_point")
    op.drop_table("book_picture")
    for name in ("note", "importance", "given_up_for", "move", *_LISTS, "created_at", "version"):
        op.drop_column("layout_corner", name)
    op.drop_constraint(op.f("uq_layout_corner_public_id"), "layout_corner", type_="unique")
    op.drop_column("layout_corner", "public_id")
    op.drop_constraint(op.f("fk_layout_team_id_derived_from_id"), "layout", type_="foreignkey")
    pit = ("pit_exit_note", "pit_entry_note", "pit_limit_kmh", "pit_side", "pit_exit_m", "pit_entry_m")
    for name in ("edition", *pit, "derivation", "derived_from_id"):
        op.drop_column("layout", name)
