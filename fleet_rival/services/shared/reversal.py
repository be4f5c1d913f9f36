"""Putting rows back as they were before a change set, if nobody changed them since."""

from collections.abc import Iterable, Sequence
from typing import Any, Final, TypeVar

from sqlalchemy import Row, Table, delete, func, insert, select, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from fleet_rival.db.recording import plain_row, row_from_plain
from fleet_rival.db.tables import Base, Change, ChangeSet, Combination, Lap, Person
from fleet_rival.services.shared.base import Work, note_changes
from fleet_rival.services.shared.errors import Conflict
from fleet_rival.services.shared.revisions import combinations_of_driver, raise_revisions
from fleet_rival.wording.history import last_of, not_turned
from fleet_rival.wording.work import counted

__all__ = ["Reversal"]

Item = TypeVar("Item")
_TABLES = {table.name: table for table in Base.metadata.sorted_tables}
_ORDER = {name: place for place, name in enumerate(_TABLES)}
"""Tables after those that they refer to."""
_SHARED = frozenset(mapper.class_.__tablename__ for mapper in Base.registry.mappers if mapper.class_.shared)
_BATCH = 1000

_WITH_FIGURES: Final = frozenset({"lap", "practice_session", "remark", "trace", "correction", "like_kind"})
"""Tables whose rows belong to a combination and change its figures."""


class Reversal:
    """Puts rows back as they were before a change set."""

    def __init__(self, session: Session, of: ChangeSet, into: ChangeSet, work: Work) -> None:
        self._session = session
        self._of = of
        self._into = into
        self._work = work
        self._combinations: set[int] = set()
        self._turned: set[tuple[str, int]] = set()
        """Rows that this reversal has written: of an act that wrote a row twice only the last state is compared."""

    def run(self, *, laps_too: bool) -> int:
        """Reverse everything.

        Args:
            laps_too: laps that came in bulk name the change set and have no rows of their own in `change`.

        Returns:
            How many rows were moved.
        """
        changes = self._session.scalars(
            select(Change)
            .where(Change.team_id == self._of.team_id, Change.change_set_id == self._of.id)
            .order_by(Change.id.desc())
        ).all()
        made = [change for change in changes if change.before is None]
        removed = [change for change in changes if change.after is None]
        changed = [change for change in changes if change.before is not None and change.after is not None]
        laps = {change.row_id: change.version or 1 for change in made if change.table_name == "lap"}
        if laps_too:
            own = select(Lap.id).where(Lap.team_id == self._of.team_id, Lap.change_set_id == self._of.id)
            laps |= dict.fromkeys(self._session.scalars(own), 1)
        count = self._remove_laps(laps)
        gone = {
            name: [change for change in removed if change.table_name == name]
            for name in {change.table_name for change in removed}
        }
        # What was changed may have hung on what was removed: that comes first, unless something that was made stands in
        # its place.
        for name in sorted(gone, key=_ORDER.__getitem__):
            if len(gone[name]) <= _BATCH and (back := self._try_again(name, gone[name])):
                count += back
                del gone[name]
        for done, change in enumerate(changed):
            if done and done % _BATCH == 0:
                self._work.step(0.9 * done / len(changed), counted(done, len(changed), "rows are as they were"))
            count += self._put_back(change)
        for change in sorted((c for c in made if c.table_name != "lap"), key=lambda c: (-_ORDER[c.table_name], -c.id)):
            count += self._remove(change)
        for name in sorted(gone, key=_ORDER.__getitem__):
            count += self._insert_again(name, gone[name])
        self._raise_revisions()
        return count

    def _remove_laps(self, versions: dict[int, int]) -> int:
        table = _TABLES["lap"]
        done = 0
        for keys in _batches(list(versions)):
            self._work.step(0.9 * done / len(versions), counted(done, len(versions), "laps are out"))
            rows = self._session.execute(
                select(table).where(table.c.team_id == self._of.team_id, table.c.id.in_(keys)).with_for_update()
            ).all()
            self._refuse_moved("lap", {key: versions[key] for key in keys}, {row.id: row.version for row in rows})
            self._combinations |= {row.combination_id for row in rows}
            note_changes(
                self._session, self._into, [_change("lap", row.id, row.version, _kept(row), None) for row in rows]
            )
            for hanging in ("remark", "trace", "correction"):
                self._remove_hanging(hanging, keys)
            self._session.execute(delete(table).where(table.c.team_id == self._of.team_id, table.c.id.in_(keys)))
            done += len(rows)
        return done

    def _remove_hanging(self, name: str, laps: Sequence[int]) -> None:
        """What was said of laps, and their traces, go with them and come back with them."""
        table = _TABLES[name]
        which = (table.c.team_id == self._of.team_id, table.c.lap_id.in_(laps))
        rows = self._session.execute(select(table).where(*which)).all()
        note_changes(
            self._session,
            self._into,
            [_change(name, row.id, getattr(row, "version", None), _kept(row), None) for row in rows],
        )
        if rows:
            self._session.execute(delete(table).where(*which))

    def _put_back(self, change: Change) -> int:
        table, row = self._row(change)
        before = row_from_plain(change.table_name, change.before or {})
        now_values = plain_row({name: getattr(row, name) for name in before})
        values: dict[str, Any] = {**before}
        version = None
        if "version" in table.columns:
            values["version"] = version = row.version + 1
        try:
            with self._session.begin_nested():
                self._session.execute(update(table).where(table.c.id == change.row_id).values(**values))
        except IntegrityError as error:
            raise Conflict(
                self._story(change.table_name, change.row_id, "something else stands in its place now")
            ) from error
        note_changes(
            self._session,
            self._into,
            [_change(change.table_name, change.row_id, version, now_values, plain_row(before))],
        )
        self._touch(change.table_name, row)
        return 1

    def _remove(self, change: Change) -> int:
        table, row = self._row(change)
        try:
            with self._session.begin_nested():
                self._session.execute(delete(table).where(table.c.id == change.row_id))
        except IntegrityError as error:
            # What the act itself was about is not left there in silence.
            subject = (self._of.subject_table, self._of.subject_id) == (change.table_name, change.row_id)
            if change.table_name in _SHARED and not subject:
                return 0
            raise Conflict(self._story(change.table_name, change.row_id, "other things hang on it by now")) from error
        note_changes(
            self._session,
            self._into,
            [_change(change.table_name, change.row_id, getattr(row, "version", None), _kept(row), None)],
        )
        self._touch(change.table_name, row)
        return 1

    def _try_again(self, name: str, changes: Sequence[Change]) -> int:
        """Insert rows again, if nothing stands in their place yet."""
        try:
            return self._insert_again(name, changes)
        except Conflict:
            return 0

    def _insert_again(self, name: str, changes: Sequence[Change]) -> int:
        table = _TABLES[name]
        done = 0
        for some in _batches(changes):
            if name == "lap":
                self._work.step(0.9 * done / len(changes), counted(done, len(changes), "laps are in again"))
            rows = [
                {
                    **row_from_plain(name, change.before or {}),
                    "id": change.row_id,
                    **({"team_id": change.team_id} if "team_id" in table.columns else {}),
                    **({"version": (change.version or 1) + 1} if "version" in table.columns else {}),
                    # What was kept of the figures belongs to the row that was there before.
                    **(
                        {"revision": (change.before or {}).get("revision", 0) + 1}
                        if "revision" in table.columns
                        else {}
                    ),
                }
                for change in some
            ]
            try:
                with self._session.begin_nested():
                    self._session.execute(insert(table), rows)
            except IntegrityError as error:
                raise Conflict(
                    self._story(
                        name, some[0].row_id, "the same is there again by now, or something it belongs to is gone"
                    )
                ) from error
            self._combinations |= {row["combination_id"] for row in rows if name in _WITH_FIGURES}
            self._turned |= {(name, row["id"]) for row in rows}
            note_changes(
                self._session,
                self._into,
                [
                    _change(name, row["id"], row.get("version"), None, change.before)
                    for row, change in zip(rows, some, strict=True)
                ],
            )
            done += len(rows)
        return done

    def _row(self, change: Change) -> tuple[Table, Row[Any]]:
        """The row as it is now, locked, if nobody changed it since."""
        table = _TABLES[change.table_name]
        row = self._session.execute(select(table).where(table.c.id == change.row_id).with_for_update()).first()
        if (change.table_name, change.row_id) not in self._turned:
            versions = {change.row_id: change.version}
            self._refuse_moved(change.table_name, versions, {row.id: getattr(row, "version", None)} if row else {})
            self._turned.add((change.table_name, change.row_id))
        assert row is not None
        return table, row

    def _refuse_moved(self, table: str, wanted: dict[int, Any], there: dict[int, Any]) -> None:
        """Refuse where a row isn't as the act left it.

        Args:
            wanted: row to the version that the act left it in.
            there: row to its version now.
        """
        if gone := wanted.keys() - there.keys():
            raise Conflict(self._story(table, min(gone), "it is gone by now"))
        moved = [key for key, version in wanted.items() if version is None or there[key] != version]
        turns: dict[int, dict[int, set[int]]] = {key: {} for key in moved}
        last: dict[int, int | None] = {}
        for some in _batches(moved):
            later = (
                select(
                    Change.row_id,
                    Change.version,
                    ChangeSet.id,
                    func.coalesce(ChangeSet.original_id, ChangeSet.id).label("act"),
                )
                .join(ChangeSet, (ChangeSet.team_id == Change.team_id) & (ChangeSet.id == Change.change_set_id))
                .where(Change.team_id == self._of.team_id, Change.table_name == table, Change.row_id.in_(some))
                .where(ChangeSet.id > self._of.id, ChangeSet.id != self._into.id)
                .order_by(Change.id)
            )
            for row in self._session.execute(later):
                turns[row.row_id].setdefault(row.act, set()).add(row.id)
                last[row.row_id] = row.version
        for key in moved:
            # What was done since and taken back again, or taken back and done again, left the row as it was.
            in_pairs = all(len(done) % 2 == 0 for done in turns[key].values())
            if not in_pairs or (wanted[key] is not None and last.get(key) != there[key]):
                raise Conflict(self._story(table, key, "it was changed since"))

    def _story(self, table: str, key: int, why: str) -> str:
        """Why it can't be taken back, and who did what since."""
        later = self._session.execute(
            select(Person.name, ChangeSet.summary)
            .join(ChangeSet, ChangeSet.person_id == Person.id)
            .join(Change, (Change.team_id == ChangeSet.team_id) & (Change.change_set_id == ChangeSet.id))
            .where(
                Change.team_id == self._of.team_id,
                Change.table_name == table,
                Change.row_id == key,
                ChangeSet.id > self._of.id,
            )
            .where(ChangeSet.id != self._into.id)
            .order_by(ChangeSet.id.desc())
            .limit(1)
        ).first()
        who = last_of(later.name, later.summary) if later else ""
        return not_turned(self._of.summary, why) + who

    def _touch(self, table: str, row: Row[Any]) -> None:
        """Note whose figures depend on a row."""
        own = Combination.team_id == self._of.team_id
        if table in _WITH_FIGURES:
            self._combinations.add(row.combination_id)
        elif table == "driver":
            self._combinations |= set(self._session.scalars(combinations_of_driver(self._of.team_id, row.id)))
        elif table in ("layout_sector", "layout_corner"):
            self._combinations |= set(
                self._session.scalars(select(Combination.id).where(own, Combination.layout_id == row.layout_id))
            )

    def _raise_revisions(self) -> None:
        raise_revisions(self._session, self._of.team_id, self._combinations)


def _batches(items: Sequence[Item]) -> Iterable[Sequence[Item]]:
    return (items[start : start + _BATCH] for start in range(0, len(items), _BATCH))


def _change(
    table: str, key: int, version: int | None, before: dict[str, Any] | None, after: dict[str, Any] | None
) -> dict[str, Any]:
    return {"table_name": table, "row_id": key, "version": version, "before": before, "after": after}


def _kept(row: Row[Any]) -> dict[str, Any]:
    return plain_row({name: value for name, value in row._mapping.items() if name not in ("id", "team_id", "version")})
