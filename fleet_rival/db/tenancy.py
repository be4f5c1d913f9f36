"""No statement goes to the database that might read or write another team's rows.

Rows of a team are found by `team_id`, or by an inner key (`id`, or a column that refers to one): inner keys never come
from
outside, they are read from rows of the team. What is found by a public id, a name, or nothing at all has to name the
team as well;
a statement that doesn't is refused before it is sent, and so fails the first time that anybody tries it. What is meant
for
all teams says so: `for_all_teams(select(…))`.
"""

from collections.abc import Callable
from typing import Any, Final, TypeVar

from sqlalchemy import Alias, Delete, Engine, Executable, Insert, Table, Update, event
from sqlalchemy.sql import operators, visitors
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.sql.elements import BinaryExpression, ColumnClause

__all__ = ["ForgottenTeam", "for_all_teams", "loose_tables", "watch"]

Statement = TypeVar("Statement", bound=Executable)
_FINDS: Final = (operators.eq, operators.in_op)


class ForgottenTeam(Exception):
    """A statement would have looked into other teams' rows."""


def for_all_teams(statement: Statement) -> Statement:
    """A statement that is meant for every team: a sweep, or finding out by a secret which team somebody is in."""
    return statement.execution_options(for_all_teams=True)


def watch(engine: Engine, exempt: Callable[[], bool] = lambda: False) -> None:
    """Refuse statements that forget the team.

    Args:
        engine: whose statements are looked at, each once, however many values it looks for; SQL that is written as text
            isn't seen.
        exempt: whether who asks now may look at whatever they like; tests may.
    """
    known: set[str] = set()

    @event.listens_for(engine, "before_cursor_execute")
    def look(_connection: Any, _cursor: Any, _text: str, _parameters: Any, context: Any, _many: bool) -> None:
        compiled = getattr(context, "compiled", None)
        # As it is before a place is made for each value: there are as many of these as the code has, and no more.
        if not isinstance(compiled, SQLCompiler) or (text := compiled.string) in known:
            return
        if context.execution_options.get("for_all_teams") or exempt():
            return
        if loose := loose_tables(compiled.statement):
            raise ForgottenTeam(f"Nothing says of which team: {', '.join(sorted(loose))}.")
        known.add(text)


def loose_tables(statement: Any) -> set[str]:
    """Tables of teams in a statement whose rows might be anybody's."""
    if isinstance(statement, Insert):
        # What is written names its team, or the database refuses it; what is read for it may be anybody's.
        return loose_tables(statement.select) if statement.select is not None else set()
    elements = list(visitors.iterate(statement))
    if isinstance(statement, Update | Delete):
        elements.append(statement.table)
    aliased = {id(item.element) for item in elements if isinstance(item, Alias)}
    found = {
        _name(item) for item in elements if isinstance(item, Table) and _is_of_a_team(item) and id(item) not in aliased
    }
    held: set[str] = set()
    links: list[tuple[str, str]] = []
    for item in elements:
        if isinstance(item, ColumnClause) and _is_of_a_team(item.table):
            found.add(_name(item.table))
        if isinstance(item, BinaryExpression) and item.operator in _FINDS:
            one, other = ([_name(side.table)] if _holds(side) else [] for side in (item.left, item.right))
            if one and other:
                links.append((one[0], other[0]))
            elif not isinstance(item.right if one else item.left, ColumnClause):
                held |= {*one, *other}
    # What is joined by key to what is held is held too.
    while more := {name for pair in links for name in pair if held & set(pair)} - held:
        held |= more
    return found - held


def _holds(column: Any) -> bool:
    """Whether a column is one by which rows of one team are found: its team, or a key from inside; a team's own key
    is both.
    """
    if not isinstance(column, ColumnClause) or not (_is_of_a_team(column.table) or _name(column.table) == "team"):
        return False
    name = str(column.name)
    return name != "public_id" and (name in ("id", "team_id") or name.endswith("_id"))


def _is_of_a_team(table: Any) -> bool:
    element = table.element if isinstance(table, Alias) else table
    return isinstance(element, Table) and "team_id" in element.c


def _name(table: Any) -> str:
    return str(getattr(table, "name", ""))
