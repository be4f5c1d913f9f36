"""Corners know which lane is driven in which phase of a race.

Revision ID: 0015
Revises: 0014
"""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("layout_corner", sa.Column("lanes", sa.JSON(), nullable=True))
    op.execute("UPDATE layout_corner SET lanes = '[]'")
    op.alter_column("layout_corner", "lanes", existing_type=sa.JSON(), nullable=False)


def downgrade() -> None:
    op.drop_column("layout_corner", "lanes")
