"""Remarks say where a mistake began.

Revision ID: 0009
Revises: 0008
"""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("remark", sa.Column("cause_corner", sa.String(length=40), nullable=True))


def downgrade() -> None:
    op.drop_column("remark", "cause_corner")
