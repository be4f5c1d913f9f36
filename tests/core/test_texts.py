"""Text is kept in one form, and what can't be seen isn't kept."""

import unicodedata

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.core.texts import BadText, tidy
from fleet_rival.formats.spreadsheet_text import escaped, plain

cells = st.text(st.sampled_from("ab ;\t\n'\"=+-@＝|,") | st.characters(exclude_categories=("Cs",)), max_size=30)


@given(st.text(max_size=40))
def test_what_is_tidy_stays_as_it_is_and_can_be_seen_or_is_empty(text: str) -> None:
    try:
        made = tidy(text)
    except BadText:
        assert any(unicodedata.category(letter) in ("Cc", "Cs", "Cn") for letter in text)
        return
    assert tidy(made) == made == unicodedata.normalize("NFC", made)
    assert not made or text.isspace() or any(unicodedata.category(letter)[0] not in "CMZ" for letter in made)


@pytest.mark.parametrize("text", ["a\x00b", "\x1b[31m", "a\x85", "\ud800", "x\x7f"])
def test_control_characters_and_halves_are_refused(text: str) -> None:
    with pytest.raises(BadText, match="control character"):
        tidy(text)


@pytest.mark.parametrize(
    "text", ["\u200b", "\u200b\u2060", "\ufeff \u00ad", "\u202e", "\u200d", "\u3164 \u2800", "\ufe0f", "\u0301"]
)
def test_what_nobody_sees_is_nothing(text: str) -> None:
    assert tidy(text) == ""


def test_what_people_write_stays() -> None:
    for text in ("Åsmund", "two\nlines\tand a tab", "naïve – “quoted” × 3", "👩\u200d🔧", "한국어", "र्\u200dक"):
        assert tidy(text) == text
    assert tidy("A\u030asmund") == "Åsmund"


@given(cells)
def test_a_cell_comes_in_as_it_went_out(text: str) -> None:
    assert plain(escaped(text)) == text


@given(cells)
def test_no_split_at_semicolons_or_tabs_begins_a_formula(text: str) -> None:
    for sign in (";", "\t", "\n"):
        for piece in escaped(text).split(sign):
            assert not piece.lstrip(' "').startswith(tuple("=+-@＝＋－＠"))
