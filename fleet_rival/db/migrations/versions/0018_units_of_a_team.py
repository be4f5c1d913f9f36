"""The units that a team uses, where a person chose none.

Revision ID: 0018
Revises: 0017
"""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("team", sa.Column("units", sa.JSON(), nullable=True))


def downgrade() -> None:
    op.drop_column("team", "units")
