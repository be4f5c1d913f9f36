"""Series, their weeks and entries, what is known of cars and drivers, targets, and where everybody stands.

Revision ID: 0003
Revises: 0002
"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

_TABLE: dict[str, Any] = {"mysql_charset": "utf8mb4", "mysql_collate": "utf8mb4_nopad_bin", "mysql_engine": "InnoDB"}
_LIST, _MAPPING = sa.text("'[]'"), sa.text("'{}'")


def _public() -> list[sa.Column[Any]]:
    return [
        sa.Column("public_id", sa.Uuid(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
    ]


def upgrade() -> None:
    op.create_table(
        "board_visit",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("began_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("seen_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("before_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.ForeignKeyConstraint(
            ["person_id"], ["person.id"], name=op.f("fk_board_visit_person_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_board_visit_team_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_board_visit")),
        sa.UniqueConstraint("team_id", "person_id", name=op.f("uq_board_visit_team_id_person_id")),
        **_TABLE,
    )
    op.create_table(
        "calendar_address",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("token_hash", sa.String(length=64), nullable=False),
        sa.Column("used_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("revoked_at", mysql.DATETIME(fsp=6), nullable=True),
        *_public(),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_calendar_address_person_id")),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_calendar_address_team_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_calendar_address")),
        sa.UniqueConstraint("public_id", name=op.f("uq_calendar_address_public_id")),
        sa.UniqueConstraint("team_id", "id", name=op.f("uq_calendar_address_team_id_id")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_calendar_address_token_hash")),
        **_TABLE,
    )
    op.create_table(
        "resource",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("kind", sa.String(length=16), nullable=False),
        sa.Column("zone", sa.String(length=64), nullable=True),
        sa.Column("availability", sa.JSON(), nullable=False),
        sa.Column("note", sa.Text(), nullable=True),
        *_public(),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_resource_team_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_resource")),
        sa.UniqueConstraint("public_id", name=op.f("uq_resource_public_id")),
        sa.UniqueConstraint("team_id", "id", name=op.f("uq_resource_team_id_id")),
        sa.UniqueConstraint("team_id", "name", name=op.f("uq_resource_team_id_name")),
        **_TABLE,
    )
    op.create_table(
        "series",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("note", sa.Text(), nullable=True),
        *_public(),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_series_team_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_series")),
        sa.UniqueConstraint("public_id", name=op.f("uq_series_public_id")),
        sa.UniqueConstraint("team_id", "id", name=op.f("uq_series_team_id_id")),
        sa.UniqueConstraint("team_id", "name", name=op.f("uq_series_team_id_name")),
        **_TABLE,
    )
    op.create_table(
        "car_driver",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("car_id", sa.BigInteger(), nullable=False),
        sa.Column("driver_id", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(
            ["team_id", "car_id"], ["car.team_id", "car.id"], name=op.f("fk_car_driver_team_id_car_id")
        ),
        sa.ForeignKeyConstraint(
            ["team_id", "driver_id"], ["driver.team_id", "driver.id"], name=op.f("fk_car_driver_team_id_driver_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_car_driver")),
        sa.UniqueConstraint("team_id", "car_id", "driver_id", name=op.f("uq_car_driver_team_id_car_id_driver_id")),
        sa.UniqueConstraint("team_id", "id", name=op.f("uq_car_driver_team_id_id")),
        **_TABLE,
    )
    op.create_table(
        "season_file",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.String(length=255), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("content", mysql.LONGBLOB(), nullable=False),
        sa.Column("state", sa.String(length=16), nullable=False),
        sa.Column("change_set_id", sa.BigInteger(), nullable=True),
        *_public(),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_season_file_person_id")),
        sa.ForeignKeyConstraint(
            ["team_id", "change_set_id"],
            ["change_set.team_id", "change_set.id"],
            name=op.f("fk_season_file_team_id_change_set_id"),
        ),
        sa.ForeignKeyConstraint(["team_id"], ["team.id"], name=op.f("fk_season_file_team_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_season_file")),
        sa.UniqueConstraint("public_id", name=op.f("uq_season_file_public_id")),
        sa.UniqueConstraint("team_id", "id", name=op.f("uq_season_file_team_id_id")),
        **_TABLE,
    )
    op.create_table(
        "series_week",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("series_id", sa.BigInteger(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("zone", sa.String(length=64), nullable=False),
        sa.Column("begins", sa.Date(), nullable=False),
        sa.Column("ends", sa.Date(), nullable=False),
        sa.Column("track", sa.String(length=120), nullable=True),
        sa.Column("layout", sa.String(length=120), nullable=True),
        sa.Column("layout_id", sa.BigInteger(), nullable=True),
        sa.Column("race_laps", sa.Integer(), nullable=True),
        sa.Column("race_minutes", mysql.DOUBLE(), nullable=True),
        sa.Column("starts", sa.Text(), nullable=True),
        sa.Column("start", sa.String(length=16), nullable=True),
        sa.Column("setup", sa.String(length=16), nullable=True),
        sa.Column("cautions", sa.Boolean(), nullable=True),
        sa.Column("practice_minutes", mysql.DOUBLE(), nullable=True),
        sa.Column("qualifying_minutes", mysql.DOUBLE(), nullable=True),
        sa.Column("qualifying_laps", sa.Integer(), nullable=True),
        sa.Column("fuel_rate", mysql.DOUBLE(), nullable=True),
        sa.Column("tyre_rate", mysql.DOUBLE(), nullable=True),
        sa.Column("compounds", sa.JSON(), nullable=False),
        sa.Column("stops_min", sa.Integer(), nullable=True),
        sa.Column("damage", sa.String(length=120), nullable=True),
        sa.Column("repairs", sa.String(length=120), nullable=True),
        sa.Column("grid", sa.Integer(), nullable=True),
        sa.Column("strike_limit", sa.Integer(), nullable=True),
        sa.Column("incident_limit", sa.Integer(), nullable=True),
        sa.Column("boost", sa.String(length=120), nullable=True),
        sa.Column("session_local", sa.String(length=26), nullable=True),
        sa.Column("air_temp_c", mysql.DOUBLE(), nullable=True),
        sa.Column("track_temp_c", mysql.DOUBLE(), nullable=True),
        sa.Column("wetness", sa.String(length=16), nullable=True),
        sa.Column("limits_rule", sa.String(length=120), nullable=True),
        sa.Column("note", sa.Text(), nullable=True),
        sa.Column("changeable", sa.JSON(), nullable=False),
        sa.Column("edition", sa.Integer(), nullable=False),
        *_public(),
        sa.ForeignKeyConstraint(
            ["team_id", "layout_id"], ["layout.team_id", "layout.id"], name=op.f("fk_series_week_team_id_layout_id")
        ),
        sa.ForeignKeyConstraint(
            ["team_id", "series_id"], ["series.team_id", "series.id"], name=op.f("fk_series_week_team_id_series_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_series_week")),
        sa.UniqueConstraint("public_id", name=op.f("uq_series_week_public_id")),
        sa.UniqueConstraint("team_id", "id", name=op.f("uq_series_week_team_id_id")),
        sa.UniqueConstraint("team_id", "series_id", "number", name=op.f("uq_series_week_team_id_series_id_number")),
        **_TABLE,
    )
    op.create_index(
        op.f("ix_series_week_team_id_begins_ends"), "series_week", ["team_id", "begins", "ends"], unique=False
    )
    op.create_table(
        "entry",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("week_id", sa.BigInteger(), nullable=False),
        sa.Column("driver_id", sa.BigInteger(), nullable=False),
        sa.Column("importance", sa.String(length=16), nullable=False),
        sa.Column("starts", sa.JSON(), nullable=False),
        sa.Column("car_id", sa.BigInteger(), nullable=True),
        sa.Column("resource_id", sa.BigInteger(), nullable=True),
        sa.Column("note", sa.Text(), nullable=True),
        *_public(),
        sa.ForeignKeyConstraint(["team_id", "car_id"], ["car.team_id", "car.id"], name=op.f("fk_entry_team_id_car_id")),
        sa.ForeignKeyConstraint(
            ["team_id", "driver_id"], ["driver.team_id", "driver.id"], name=op.f("fk_entry_team_id_driver_id")
        ),
        sa.ForeignKeyConstraint(
            ["team_id", "resource_id"], ["resource.team_id", "resource.id"], name=op.f("fk_entry_team_id_resource_id")
        ),
        sa.ForeignKeyConstraint(
            ["team_id", "week_id"], ["series_week.team_id", "series_week.id"], name=op.f("fk_entry_team_id_week_id")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_entry")),
        sa.UniqueConstraint("public_id", name=op.f("uq_entry_public_id")),
        sa.UniqueConstraint("team_id", "id", name=op.f("uq_entry_team_id_id")),
        sa.UniqueConstraint("team_id", "week_id", "driver_id", name=op.f("uq_entry_team_id_week_id_driver_id")),
        **_TABLE,
    )
    op.create_table(
        "series_week_car",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("week_id", sa.BigInteger(), nullable=False),
        sa.Column("car_id", sa.BigInteger(), nullable=False),
        sa.Column("place", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["team_id", "car_id"], ["car.team_id", "car.id"], name=op.f("fk_series_week_car_team_id_car_id")
        ),
        sa.ForeignKeyConstraint(
            ["team_id", "week_id"],
            ["series_week.team_id", "series_week.id"],
            name=op.f("fk_series_week_car_team_id_week_id"),
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_series_week_car")),
        sa.UniqueConstraint("team_id", "id", name=op.f("uq_series_week_car_team_id_id")),
        sa.UniqueConstraint("team_id", "week_id", "car_id", name=op.f("uq_series_week_car_team_id_week_id_car_id")),
        **_TABLE,
    )
    op.create_table(
        "standing",
        sa.Column("id", sa.BigInteger(), autoincrement=True, nullable=False),
        sa.Column("team_id", sa.BigInteger(), nullable=False),
        sa.Column("combination_id", sa.BigInteger(), nullable=False),
        sa.Column("driver_id", sa.BigInteger(), nullable=True),
        sa.Column("since", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("until", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("laps", sa.Integer(), nullable=False),
        sa.Column("stamp", sa.String(length=64), nullable=False),
        sa.Column("figures", sa.JSON(), nullable=False),
        sa.Column("changed_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(
            ["team_id", "combination_id"],
            ["combination.team_id", "combination.id"],
            name=op.f("fk_standing_team_id_combination_id"),
            ondelete="CASCADE",
        ),
        sa.ForeignKeyConstraint(
            ["team_id", "driver_id"],
            ["driver.team_id", "driver.id"],
            name=op.f("fk_standing_team_id_driver_id"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_standing")),
        sa.UniqueConstraint(
            "team_id",
            "combination_id",
            "since",
            "until",
            "driver_id",
            name=op.f("uq_standing_team_id_combination_id_since_until_driver_id"),
        ),
        sa.UniqueConstraint("team_id", "id", name=op.f("uq_standing_team_id_id")),
        **_TABLE,
    )
    op.add_column("car", sa.Column("car_class", sa.String(length=120), nullable=True))
    op.add_column("car", sa.Column("drive", sa.String(length=120), nullable=True))
    op.add_column("car", sa.Column("gears", sa.Integer(), nullable=True))
    op.add_column("car", sa.Column("limiter_rpm", sa.Integer(), nullable=True))
    op.add_column("car", sa.Column("shift_rpm", sa.JSON(), nullable=False, server_default=_LIST))
    op.add_column("car", sa.Column("assists", sa.JSON(), nullable=False, server_default=_LIST))
    op.add_column("car", sa.Column("settings", sa.JSON(), nullable=False, server_default=_LIST))
    op.add_column("car", sa.Column("traits", sa.JSON(), nullable=False, server_default=_LIST))
    op.add_column("car", sa.Column("cold_laps", sa.Integer(), nullable=True))
    op.add_column("car", sa.Column("tank_l", mysql.DOUBLE(), nullable=True))
    op.add_column("car", sa.Column("battery_kwh", mysql.DOUBLE(), nullable=True))
    op.add_column("car", sa.Column("note", sa.Text(), nullable=True))
    op.add_column("car", sa.Column("restricted", sa.Boolean(), nullable=False, server_default="0"))
    op.add_column("car", sa.Column("edition", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("lap", sa.Column("alone", sa.Boolean(), nullable=False, server_default="0"))
    op.add_column("combination", sa.Column("target", sa.JSON(), nullable=True))
    op.add_column("combination", sa.Column("benchmark", sa.JSON(), nullable=True))
    op.add_column("combination", sa.Column("strike_limit", sa.Integer(), nullable=True))
    op.add_column("combination", sa.Column("incident_limit", sa.Integer(), nullable=True))
    op.add_column("driver", sa.Column("nickname", sa.String(length=120), nullable=True))
    op.add_column("driver", sa.Column("zone", sa.String(length=64), nullable=True))
    op.add_column("driver", sa.Column("assists", sa.JSON(), nullable=False, server_default=_MAPPING))
    op.add_column("driver", sa.Column("controls", sa.String(length=500), nullable=True))
    op.add_column("driver", sa.Column("view", sa.JSON(), nullable=False, server_default=_MAPPING))
    op.add_column("driver", sa.Column("preferences", sa.Text(), nullable=True))
    op.add_column("driver", sa.Column("units", sa.JSON(), nullable=False, server_default=_MAPPING))
    op.add_column("driver", sa.Column("availability", sa.JSON(), nullable=False, server_default=_MAPPING))
    op.add_column("practice_session", sa.Column("session_local", sa.String(length=26), nullable=True))
    op.add_column("practice_session", sa.Column("air_temp_c", mysql.DOUBLE(), nullable=True))
    op.add_column("practice_session", sa.Column("track_temp_c", mysql.DOUBLE(), nullable=True))
    op.add_column("practice_session", sa.Column("wetness", sa.String(length=16), nullable=True))
    op.create_index(
        op.f("ix_lap_team_id_combination_id_driver_id"), "lap", ["team_id", "combination_id", "driver_id"], unique=False
    )
    op.drop_index(op.f("ix_lap_team_id_combination_id"), table_name="lap")
    op.alter_column("analysis", "about", existing_type=sa.String(60), type_=sa.String(100), existing_nullable=False)


def downgrade() -> None:
    # Answers are made anew where they are missing.
    op.execute("DELETE FROM analysis")
    op.alter_column("analysis", "about", existing_type=sa.String(100), type_=sa.String(60), existing_nullable=False)
    op.create_index(op.f("ix_lap_team_id_combination_id"), "lap", ["team_id", "combination_id"], unique=False)
    op.drop_index(op.f("ix_lap_team_id_combination_id_driver_id"), table_name="lap")
    op.drop_column("practice_session", "wetness")
    op.drop_column("practice_session", "track_temp_c")
    op.drop_column("practice_session", "air_temp_c")
    op.drop_column("practice_session", "session_local")
    op.drop_column("driver", "availability")
    op.drop_column("driver", "units")
    op.drop_column("driver", "preferences")
    op.drop_column("driver", "view")
    op.drop_column("driver", "controls")
    op.drop_column("driver", "assists")
    op.drop_column("driver", "zone")
    op.drop_column("driver", "nickname")
    op.drop_column("combination", "incident_limit")
    op.drop_column("combination", "strike_limit")
    op.drop_column("combination", "benchmark")
    op.drop_column("combination", "target")
    op.drop_column("lap", "alone")
    op.drop_column("car", "edition")
    op.drop_column("car", "restricted")
    op.drop_column("car", "note")
    op.drop_column("car", "battery_kwh")
    op.drop_column("car", "tank_l")
    op.drop_column("car", "cold_laps")
    op.drop_column("car", "traits")
    op.drop_column("car", "settings")
    op.drop_column("car", "assists")
    op.drop_column("car", "shift_rpm")
    op.drop_column("car", "limiter_rpm")
    op.drop_column("car", "gears")
    op.drop_column("car", "drive")
    op.drop_column("car", "car_class")
    op.drop_table("standing")
    op.drop_table("series_week_car")
    op.drop_table("entry")
    op.drop_table("series_week")
    op.drop_table("season_file")
    op.drop_table("car_driver")
    op.drop_table("series")
    op.drop_table("resource")
    op.drop_table("calendar_address")
    op.drop_table("board_visit")
