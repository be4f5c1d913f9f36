"""People, history, jobs and events.

Revision ID: 0002
Revises: 0001
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "sign_in_attempt",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("subject", sa.String(length=64), nullable=False),
        sa.Column("failed_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sign_in_attempt")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
    )
    op.create_index(
        op.f("ix_sign_in_attempt_subject_failed_at"), "sign_in_attempt", ["subject", "failed_at"], unique=False
    )
    op.create_table(
        "event",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=True),
        sa.Column("topic", sa.String(length=40), nullable=False),
        sa.Column("about", sa.Uuid(), nullable=True),
        sa.Column("made_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_event_person_id")),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_event_team_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_event")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
    )
    op.create_index(op.f("ix_event_made_at"), "event", ["made_at"], unique=False)
    op.create_index(op.f("ix_event_team_id_id"), "event", ["team_id", "id"], unique=False)
    op.create_table(
        "job",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(length=40), nullable=False),
        sa.Column("name", sa.String(length=300), nullable=False),
        sa.Column("arguments", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(length=16), nullable=False),
        sa.Column("progress", mysql.DOUBLE(), nullable=False),
        sa.Column("doing", sa.String(length=120), nullable=True),
        sa.Column("cancel_asked", sa.Boolean(), nullable=False),
        sa.Column("attempt", sa.Integer(), nullable=False),
        sa.Column("lease_until", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("result", sa.JSON(), nullable=True),
        sa.Column("trouble", sa.String(length=500), nullable=True),
        sa.Column("ended_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("public_id", sa.Uuid(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_job_person_id")),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_job_team_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_job")),
        sa.UniqueConstraint("public_id", name=op.f("uq_job_public_id")),
        sa.UniqueConstraint("team_id", "id", name=op.f("uq_job_team_id_id")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
    )
    op.create_index(op.f("ix_job_state_lease_until"), "job", ["state", "lease_until"], unique=False)
    op.create_index(op.f("ix_job_team_id_person_id_id"), "job", ["team_id", "person_id", "id"], unique=False)
    op.create_table(
        "rig_token",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("token_hash", sa.String(length=64), nullable=False),
        sa.Column("used_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("revoked_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("public_id", sa.Uuid(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_rig_token_person_id")),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_rig_token_team_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_rig_token")),
        sa.UniqueConstraint("public_id", name=op.f("uq_rig_token_public_id")),
        sa.UniqueConstraint("team_id", "id", name=op.f("uq_rig_token_team_id_id")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_rig_token_token_hash")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
    )
    op.create_table(
        "sign_in",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("public_id", sa.Uuid(), nullable=False),
        sa.Column("token_hash", sa.String(length=64), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=True),
        sa.Column("browser", sa.String(length=120), nullable=False),
        sa.Column("began_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("used_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_sign_in_person_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_sign_in_team_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sign_in")),
        sa.UniqueConstraint("public_id", name=op.f("uq_sign_in_public_id")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_sign_in_token_hash")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
    )
    op.create_table(
        "invitation",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("token_hash", sa.String(length=64), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("role", sa.String(length=16), nullable=False),
        sa.Column("driver_id", sa.BigInteger(), nullable=True),
        sa.Column("expires_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("used_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("withdrawn_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("public_id", sa.Uuid(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(
            ["team_id", "driver_id"], ["driver.team_id", "driver.id"], name=op.f("fk_invitation_team_id_driver_id")
        ),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_invitation_team_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_invitation")),
        sa.UniqueConstraint("public_id", name=op.f("uq_invitation_public_id")),
        sa.UniqueConstraint("team_id", "id", name=op.f("uq_invitation_team_id_id")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_invitation_token_hash")),
        mysql_charset="utf8mb4",
        mysql_collate="utf8mb4_nopad_bin",
        mysql_engine="InnoDB",
    )
    op.create_index(
        op.f("ix_change_team_id_table_name_row_id"), "change", ["team_id", "table_name", "row_id"], unique=False
    )
    op.add_column("change_set", sa.Column("rig_token_id", sa.BigInteger(), nullable=True))
    op.add_column("change_set", sa.Column("subject_table", sa.String(length=40), nullable=True))
    op.add_column("change_set", sa.Column("subject_id", sa.BigInteger(), nullable=True))
    op.add_column("change_set", sa.Column("original_id", sa.BigInteger(), nullable=True))
    op.add_column("change_set", sa.Column("turn", sa.String(length=16), nullable=True))
    op.add_column("change_set", sa.Column("standing", sa.Boolean(), server_default="1", nullable=False))
    op.create_index(
        op.f("ix_change_set_team_id_person_id_id"), "change_set", ["team_id", "person_id", "id"], unique=False
    )
    op.create_index(
        op.f("ix_change_set_team_id_subject_table_subject_id"),
        "change_set",
        ["team_id", "subject_table", "subject_id"],
        unique=False,
    )
    op.create_foreign_key(
        op.f("fk_change_set_team_id_original_id"),
        "change_set",
        "change_set",
        ["team_id", "original_id"],
        ["team_id", "id"],
    )
    op.create_foreign_key(
        op.f("fk_change_set_team_id_rig_token_id"),
        "change_set",
        "rig_token",
        ["team_id", "rig_token_id"],
        ["team_id", "id"],
    )
    op.drop_constraint(op.f("fk_analysis_team_id_combination_id"), "analysis", type_="foreignkey")
    op.create_foreign_key(
        op.f("fk_analysis_team_id_combination_id"),
        "analysis",
        "combination",
        ["team_id", "combination_id"],
        ["team_id", "id"],
        ondelete="CASCADE",
    )
    op.add_column("combination", sa.Column("note", sa.Text(), nullable=True))
    op.add_column("lap_file", sa.Column("look", sa.JSON(none_as_null=True), nullable=True))
    op.add_column("membership", sa.Column("driver_id", sa.BigInteger(), nullable=True))
    # The rows that are there get what new ones are given by the code.
    op.add_column("membership", sa.Column("public_id", sa.Uuid(), nullable=True))
    op.add_column("membership", sa.Column("version", sa.Integer(), nullable=False, server_default="1"))
    op.add_column(
        "membership",
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False, server_default=sa.text("UTC_TIMESTAMP(6)")),
    )
    op.execute("UPDATE membership SET public_id = UUID()")
    op.alter_column("membership", "public_id", existing_type=sa.Uuid(), nullable=False)
    op.alter_column("membership", "version", existing_type=sa.Integer(), nullable=False, server_default=None)
    op.alter_column(
        "membership", "created_at", existing_type=mysql.DATETIME(fsp=6), nullable=False, server_default=None
    )
    op.execute("UPDATE change_set SET original_id = takes_back_id, turn = 'undo' WHERE takes_back_id IS NOT NULL")
    op.execute("UPDATE change_set first JOIN change_set later ON later.takes_back_id = first.id SET first.standing = 0")
    op.create_unique_constraint(op.f("uq_membership_public_id"), "membership", ["public_id"])
    op.create_foreign_key(
        op.f("fk_membership_team_id_driver_id"), "membership", "driver", ["team_id", "driver_id"], ["team_id", "id"]
    )
    op.add_column("person", sa.Column("sign_in_name", sa.String(length=120), nullable=True))
    op.add_column("person", sa.Column("password_hash", sa.String(length=255), nullable=True))
    op.add_column("person", sa.Column("preferences", sa.JSON(), nullable=True))
    op.create_unique_constraint(op.f("uq_person_sign_in_name"), "person", ["sign_in_name"])
    op.add_column("team", sa.Column("open_ranking", sa.Boolean(), server_default="0", nullable=False))


def downgrade() -> None:
    op.drop_column("team", "open_ranking")
    op.drop_constraint(op.f("uq_person_sign_in_name"), "person", type_="unique")
    op.drop_column("person", "preferences")
    op.drop_column("person", "password_hash")
    op.drop_column("person", "sign_in_name")
    op.drop_constraint(op.f("fk_membership_team_id_driver_id"), "membership", type_="foreignkey")
    op.drop_constraint(op.f("uq_membership_public_id"), "membership", type_="unique")
    op.drop_column("membership", "created_at")
    op.drop_column("membership", "version")
    op.drop_column("membership", "public_id")
    op.drop_column("membership", "driver_id")
    op.drop_column("lap_file", "look")
    op.drop_column("combination", "note")
    op.drop_constraint(op.f("fk_analysis_team_id_combination_id"), "analysis", type_="foreignkey")
    op.create_foreign_key(
        op.f("fk_analysis_team_id_combination_id"),
        "analysis",
        "combination",
        ["team_id", "combination_id"],
        ["team_id", "id"],
    )
    op.drop_constraint(op.f("fk_change_set_team_id_rig_token_id"), "change_set", type_="foreignkey")
    op.drop_constraint(op.f("fk_change_set_team_id_original_id"), "change_set", type_="foreignkey")
    op.drop_index(op.f("ix_change_set_team_id_subject_table_subject_id"), table_name="change_set")
    op.drop_index(op.f("ix_change_set_team_id_person_id_id"), table_name="change_set")
    op.drop_column("change_set", "standing")
    op.drop_column("change_set", "turn")
    op.drop_column("change_set", "original_id")
    op.drop_column("change_set", "subject_id")
    op.drop_column("change_set", "subject_table")
    op.drop_column("change_set", "rig_token_id")
    op.drop_index(op.f("ix_change_team_id_table_name_row_id"), table_name="change")
    op.drop_table("invitation")
    op.drop_table("sign_in")
    op.drop_table("rig_token")
    op.drop_table("job")
    op.drop_table("event")
    op.drop_table("sign_in_attempt")
