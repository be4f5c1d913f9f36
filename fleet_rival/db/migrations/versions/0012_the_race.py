"""What is known and chosen of an entry's race, and the sheets for the day.

Revision ID: 0012
Revises: 0011
"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None

_TABLE: dict[str, Any] = {"mysql_charset": "utf8mb4", "mysql_collate": "utf8mb4_nopad_bin", "mysql_engine": "InnoDB"}


def upgrade() -> None:
    op.add_column("entry", sa.Column("race", sa.JSON(), nullable=True))
    op.create_table(
        "race_sheet",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("entry_id", sa.BigInteger(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("lines", sa.JSON(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("read_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("public_id", sa.Uuid(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_race_sheet")),
        sa.UniqueConstraint("team_id", "id", name=op.f("uq_race_sheet_team_id_id")),
        sa.UniqueConstraint("team_id", "entry_id", "number", name=op.f("uq_race_sheet_team_id_entry_id_number")),
        sa.UniqueConstraint("public_id", name=op.f("uq_race_sheet_public_id")),
        sa.ForeignKeyConstraint(
            ["team_id", "entry_id"], ["entry.team_id", "entry.id"], name=op.f("fk_race_sheet_team_id_entry_id")
        ),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_race_sheet_person_id_person")),
        **_TABLE,
    )


def downgrade() -> None:
    op.drop_table("race_sheet")
    op.drop_column("entry", "race")
