"""Words looked for in what people wrote, by MariaDB's full text where columns have such an index."""

import re
from collections.abc import Sequence
from typing import Any, Final

from sqlalchemy import collate, func
from sqlalchemy.dialects.mysql import match

from fleet_rival.db.tables import WRITTEN

__all__ = ["holding", "words_of"]

_WORD: Final = re.compile(r"\w+", re.UNICODE)
_MOST_WORDS: Final = 12
_SHORTEST: Final = 3
_NOT_INDEXED: Final = frozenset({
    "a", "about", "an", "are", "as", "at", "be", "by", "com", "de", "en", "for", "from", "how", "i", "in", "is",
    "it", "la", "of", "on", "or", "that", "the", "this", "to", "was", "what", "when", "where", "who",
    "will", "with", "und", "www",
})  # fmt: skip
"""InnoDB's own list: asked for in the index they would find nothing."""


def words_of(text: str) -> list[str]:
    """What is looked for."""
    return _WORD.findall(text)[:_MOST_WORDS]


def holding(query: Any, words: Sequence[str], *columns: Any, indexed: bool) -> Any:
    """A query of rows alone in whose columns, taken together, every word stands.

    Args:
        words: after `words_of`.
        indexed: whether these columns together have a full-text index; words of three letters or more begin a word
            then.
    """
    if indexed and (known := [word for word in words if len(word) >= _SHORTEST and word.lower() not in _NOT_INDEXED]):
        query = query.where(match(*columns, against=" ".join(f"+{word}*" for word in known)).in_boolean_mode())
    # One by one, as what is read from JSON is compared in its own way.
    whole = func.concat_ws(" ", *(collate(column, WRITTEN) for column in columns))
    for word in words:
        query = query.where(whole.contains(word, autoescape=True))
    return query
