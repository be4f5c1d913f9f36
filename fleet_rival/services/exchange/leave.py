"""Somebody leaves the team: their laps stay for the team's figures, and nothing says any more whose they were."""

import hashlib
import io
import json
import re
from collections.abc import Sequence
from typing import Any, Final
from uuid import UUID

from sqlalchemy import JSON, String, Text, cast, delete, func, select, update
from sqlalchemy.dialects.mysql import LONGBLOB, MEDIUMBLOB
from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.db.tables import (
    Base,
    CalendarAddress,
    Change,
    Combination,
    Driver,
    Lap,
    LapFileRow,
    Membership,
    Person,
    SignIn,
    StoredAnalysis,
    TraceFile,
    TraceRow,
)
from fleet_rival.services.exchange.packages import forget_packages
from fleet_rival.services.shared.base import Actor, begin_change, find_row
from fleet_rival.services.shared.errors import Conflict
from fleet_rival.telemetry.store import store

__all__ = ["make_nameless"]

_FORMER: Final = "Former driver"
_PERSONAL: Final = ("nickname", "zone", "controls", "preferences")
_KEPT_APART: Final = frozenset({"analysis", "standing", "lap_curve", "lap_verdict", "person", "team"})


def make_nameless(sessions: sessionmaker[Session], actor: Actor, driver_id: UUID) -> str:
    """Let a driver go for good: name, profile and way in are removed, also from what was kept of earlier changes,
    from files and from traces.

    This can't be taken back.

    Returns:
        What the driver is called from here on.

    Raises:
        NotThere: no such driver.
        Conflict: it is the one who asks.
    """
    with sessions() as session:
        driver = find_row(session, Driver, actor, driver_id, "driver")
        if driver.id == actor.driver_id:
            raise Conflict("Another manager lets you go: whoever does it stays.")
        names = set(session.scalars(select(Driver.name).where(Driver.team_id == actor.team_id)))
        nameless = next(name for number in range(1, len(names) + 2) if (name := f"{_FORMER} {number}") not in names)
        old = driver.name
        files = _files_with(session, actor, driver)
    # Files are written before a row names them; who isn't named in the end is swept.
    renamed = {key: _rewritten(digest, old, nameless) for key, digest in files}
    with sessions.begin() as session:
        driver = find_row(session, Driver, actor, driver_id, "driver", lock=True)
        begin_change(session, actor, "people.leave", f"Let a driver go, whose laps stay as those of {nameless}", driver)
        people = _let_go(session, actor, driver, nameless)
        for name in _PERSONAL:
            setattr(driver, name, None)
        driver.name, driver.assists, driver.view, driver.units, driver.availability, driver.care = (
            nameless,
            {},
            {},
            {},
            {},
            {},
        )
        session.flush()
        for key, (digest, size) in renamed.items():
            session.execute(
                update(TraceFile)
                .where(TraceFile.team_id == actor.team_id, TraceFile.id == key)
                .values(sha256=digest, size=size)
            )
        # What was kept of these rows says what they held before.
        about = {"driver": [driver.id], "person": people, "membership": []}
        for table, rows in about.items():
            own = (Change.team_id == actor.team_id, Change.table_name == table)
            session.execute(delete(Change).where(*own, Change.row_id.in_(rows)))
        _scrub(session, actor, old, nameless)
        places = select(Lap.combination_id).where(Lap.team_id == actor.team_id, Lap.driver_id == driver.id)
        session.execute(delete(StoredAnalysis).where(StoredAnalysis.team_id == actor.team_id))
        session.execute(
            update(Combination)
            .where(Combination.team_id == actor.team_id, Combination.id.in_(places))
            .values(revision=Combination.revision + 1)
        )
    # Packages of before would say it until their day is over.
    forget_packages(sessions, actor)
    return nameless


def _let_go(session: Session, actor: Actor, driver: Driver, nameless: str) -> list[int]:
    """Who is this driver is out at once; whoever is in no other team loses name and way in."""
    people = []
    for row in session.scalars(
        select(Membership).where(Membership.team_id == actor.team_id, Membership.driver_id == driver.id)
    ).all():
        person = session.get_one(Person, row.person_id)
        session.delete(row)
        session.flush()
        session.execute(delete(SignIn).where(SignIn.team_id == actor.team_id, SignIn.person_id == person.id))
        session.execute(
            delete(CalendarAddress).where(
                CalendarAddress.team_id == actor.team_id, CalendarAddress.person_id == person.id
            )
        )
        if session.scalar(select(Membership.id).where(Membership.person_id == person.id).limit(1)) is None:
            person.name, person.sign_in_name, person.password_hash, person.preferences, person.reaction = (
                nameless,
                None,
                None,
                {},
                None,
            )
            people.append(person.id)
    return people


def _scrub(session: Session, actor: Actor, old: str, nameless: str) -> None:
    """Replace a name wherever a team's rows say it: notes, lessons, sheets, what was kept of changes, files as they
    came.
    """
    for table in Base.metadata.sorted_tables:
        if "team_id" not in table.c or table.name in _KEPT_APART:
            continue
        for column in table.c:
            own: Any = table.c.team_id == actor.team_id
            if isinstance(column.type, (LONGBLOB, MEDIUMBLOB)):
                session.execute(
                    update(table)
                    .where(own)
                    .values({column.name: func.replace(column, old.encode(), nameless.encode())})
                )
            elif isinstance(column.type, JSON):
                # JSON may write letters beyond ASCII by their numbers.
                for text in {old, json.dumps(old)[1:-1]}:
                    plain = cast(column, Text)
                    changed = func.regexp_replace(plain, _word(text), nameless)
                    session.execute(
                        update(table)
                        .where(own, plain.contains(text, autoescape=True))
                        .values({column.name: _raw(changed)})
                    )
            elif isinstance(column.type, String):
                changed = func.regexp_replace(column, _word(old), nameless)
                session.execute(
                    update(table).where(own, column.contains(old, autoescape=True)).values({column.name: changed})
                )
    files = (LapFileRow.team_id == actor.team_id, LapFileRow.content.contains(nameless.encode()))
    for row in session.execute(select(LapFileRow.id, LapFileRow.content).where(*files)).all():
        values = {"sha256": hashlib.sha256(row.content).hexdigest(), "size": len(row.content)}
        session.execute(update(LapFileRow).where(LapFileRow.id == row.id).values(**values))


def _word(text: str) -> str:
    """A name as a pattern that doesn't find it within another word."""
    return rf"(?<!\w){re.escape(text)}(?!\w)"


def _raw(expression: Any) -> Any:
    """Text that is JSON already."""
    return cast(expression, Text)


def _files_with(session: Session, actor: Actor, driver: Driver) -> Sequence[tuple[int, str]]:
    """Files of traces that hold laps of a driver."""
    query = (
        select(TraceFile.id, TraceFile.sha256)
        .join(TraceRow, (TraceRow.team_id == TraceFile.team_id) & (TraceRow.file_id == TraceFile.id))
        .join(Lap, (Lap.team_id == TraceRow.team_id) & (Lap.id == TraceRow.lap_id))
        .where(TraceFile.team_id == actor.team_id, Lap.driver_id == driver.id)
        .distinct()
    )
    return [(key, digest) for key, digest in session.execute(query)]


def _rewritten(digest: str, old: str, nameless: str) -> tuple[str, int]:
    """A file of traces with another name in it, row group by row group; its digest and size."""
    import pyarrow as pa  # noqa: PLC0415
    import pyarrow.compute as pc  # noqa: PLC0415
    import pyarrow.parquet as pq  # noqa: PLC0415

    with store().open_traces(digest) as source:
        held = pq.ParquetFile(io.BytesIO(source.read()))
    with store().new_traces() as target:
        writer = pq.ParquetWriter(
            target,
            held.schema_arrow,
            compression="zstd",
            compression_level=1,
            use_dictionary=["driver", "session", "run", "lap"],
            write_statistics=False,
        )
        for number in range(held.num_row_groups):
            table = held.read_row_group(number)
            names = pc.cast(table.column("driver"), pa.string())
            other = pc.if_else(pc.equal(names, old), nameless, names)
            at = table.schema.get_field_index("driver")
            writer.write_table(
                table.set_column(at, table.schema.field(at), pc.cast(other, table.schema.field(at).type))
            )
        writer.close()
        written = target
    return written.digest, written.size
