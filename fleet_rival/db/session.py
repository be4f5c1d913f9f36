"""Where engines and sessions are made."""

from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session, sessionmaker

__all__ = ["make_engine", "make_sessions"]


def make_engine(url: str) -> Engine:
    """An engine with READ COMMITTED, checked connections and a bounded pool.

    Args:
        url: `mariadb+mariadbconnector://…`; the connector is the one driver that is tested.
    """
    return create_engine(url, isolation_level="READ COMMITTED", pool_pre_ping=True, pool_size=8, max_overflow=8, pool_recycle=3600)


def make_sessions(engine: Engine) -> sessionmaker[Session]:
    return sessionmaker(engine, expire_on_commit=False)
