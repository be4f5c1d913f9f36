"""How laps with traces pulled at full throttle: by that a tow is told.

Revision ID: 0007
Revises: 0006
"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("trace", sa.Column("pulls", sa.JSON(), nullable=True))


def downgrade() -> None:
    op.drop_column("trace", "pulls")
