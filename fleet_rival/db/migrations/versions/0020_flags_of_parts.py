"""Flags may name a part of the lap, and a lap may have several.

Revision ID: 0020
Revises: 0019
"""

import sqlalchemy as sa
from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.alter_column("lap", "flags", existing_type=sa.String(80), type_=sa.String(500), existing_nullable=True)


def downgrade() -> None:
    # Flags of parts mean nothing to the version before: its laps would have words that it can't read.
    op.execute("UPDATE lap SET flags = NULLIF(TRIM(REGEXP_REPLACE(flags, '[a-z]+:[^ ]+ ?', '')), '')")
    op.alter_column("lap", "flags", existing_type=sa.String(500), type_=sa.String(80), existing_nullable=True)
