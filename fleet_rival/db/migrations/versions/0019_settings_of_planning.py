"""What a team's plans go by, where it is other than usual.

Revision ID: 0019
Revises: 0018
"""

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("plan_rules", sa.Column("planning", sa.JSON(), nullable=True))


def downgrade() -> None:
    op.drop_column("plan_rules", "planning")
