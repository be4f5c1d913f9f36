"""What people say became of a block, the manager's own rules and blocks, what weeks brought; a plan's making can be
undone.

Revision ID: 0011
Revises: 0010
"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

_TABLE: dict[str, Any] = {"mysql_charset": "utf8mb4", "mysql_collate": "utf8mb4_nopad_bin", "mysql_engine": "InnoDB"}


def upgrade() -> None:
    op.add_column("plan_block", sa.Column("said", sa.String(length=16), nullable=True))
    op.add_column("series", sa.Column("best_weeks", sa.Integer(), nullable=True))
    op.add_column("entry", sa.Column("points", mysql.DOUBLE(asdecimal=False), nullable=True))
    # What was said of the last plans follows from making them anew.
    op.execute("DELETE FROM plan_made")
    op.add_column("plan_made", sa.Column("public_id", sa.Uuid(), nullable=False))
    op.add_column("plan_made", sa.Column("version", sa.Integer(), nullable=False))
    op.add_column("plan_made", sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False))
    op.create_unique_constraint(op.f("uq_plan_made_team_id_id"), "plan_made", ["team_id", "id"])
    op.create_unique_constraint(op.f("uq_plan_made_public_id"), "plan_made", ["public_id"])
    op.create_table(
        "plan_rules",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("readiness", sa.JSON(), nullable=False),
        sa.Column("weights", sa.JSON(), nullable=False),
        sa.Column("blocks", sa.JSON(), nullable=False),
        sa.Column("public_id", sa.Uuid(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_plan_rules")),
        sa.UniqueConstraint("team_id", name=op.f("uq_plan_rules_team_id")),
        sa.UniqueConstraint("team_id", "id", name=op.f("uq_plan_rules_team_id_id")),
        sa.UniqueConstraint("public_id", name=op.f("uq_plan_rules_public_id")),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_plan_rules_team_id_team")),
        **_TABLE,
    )


def downgrade() -> None:
    op.drop_table("plan_rules")
    op.drop_constraint(op.f("uq_plan_made_public_id"), "plan_made", type_="unique")
    op.drop_constraint(op.f("uq_plan_made_team_id_id"), "plan_made", type_="unique")
    for column in ("created_at", "version", "public_id"):
        op.drop_column("plan_made", column)
    op.drop_column("entry", "points")
    op.drop_column("series", "best_weeks")
    op.drop_column("plan_block", "said")
