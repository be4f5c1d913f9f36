"""For what laps count, kept for lists and queries.

Revision ID: 0017
Revises: 0016
"""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "lap_verdict",
        sa.Column("lap_id", sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("combination_id", sa.BigInteger(), nullable=False),
        sa.Column("uses", sa.Integer(), nullable=False),
        sa.Column("marks", sa.String(160), nullable=True),
        sa.ForeignKeyConstraint(
            ["team_id", "lap_id"], ["lap.team_id", "lap.id"], name="fk_lap_verdict_team_id_lap_id", ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("lap_id", name="pk_lap_verdict"),
        mysql_engine="InnoDB",
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
    )
    op.create_index("ix_lap_verdict_team_id_combination_id", "lap_verdict", ["team_id", "combination_id"])


def downgrade() -> None:
    op.drop_table("lap_verdict")
