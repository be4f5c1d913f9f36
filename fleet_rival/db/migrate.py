"""Brings a database to the newest form, or to an older one."""

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory

__all__ = ["configuration", "downgrade", "known_revisions", "upgrade"]


def configuration(url: str) -> Config:
    """Alembic's configuration for one database, without a file."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["url"] = url
    return config


def upgrade(url: str, revision: str = "head") -> None:
    command.upgrade(configuration(url), revision)


def downgrade(url: str, revision: str) -> None:
    command.downgrade(configuration(url), revision)


def known_revisions(url: str) -> set[str]:
    """All forms of the tables that this version knows."""
    return {script.revision for script in ScriptDirectory.from_config(configuration(url)).walk_revisions()}
