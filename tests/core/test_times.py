"""Durations are exact, whatever the form they come in."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.core.times import NotATime, format_time, parse_milliseconds, parse_time


@given(st.integers(min_value=1, max_value=10**11), st.integers(min_value=0, max_value=6))
def test_what_is_written_is_read_back(microseconds: int, decimals: int) -> None:
    unit = 10 ** (6 - decimals)
    exact = max(microseconds // unit, 1) * unit
    text = format_time(exact, decimals)
    assert parse_time(text) == (exact, decimals)
    assert parse_time(text.replace(".", ",")) == (exact, decimals)


@pytest.mark.parametrize(
    ("text", "microseconds"),
    [
        ("92.114", 92_114_000),
        ("1:32.114", 92_114_000),
        ("1:02:03.5", 3_723_500_000),
        (" 9,5 ", 9_500_000),
        ("75:10", 4_510_000_000),
        ("0.000001", 1),
    ],
)
def test_accepted_forms(text: str, microseconds: int) -> None:
    assert parse_time(text).microseconds == microseconds


@pytest.mark.parametrize(
    "text",
    [
        "",
        "1:9x.2",
        "1:75.333",
        "-83.120",
        "+83.1",
        "2l.417",
        "1:5.333",
        "1:60:00",
        "1:02:3.5",
        "83.",
        ".5",
        "1e3",
        "0.000",
        "1.2345678",
        "1:32.114 s",
        "١:٣٢",
    ],
)
def test_anything_else_is_not_a_time(text: str) -> None:
    with pytest.raises(NotATime):
        parse_time(text)


def test_milliseconds_are_whole() -> None:
    assert parse_milliseconds("92114").microseconds == 92_114_000
    for text in ("92114.5", "1:32", "-3", "0"):
        with pytest.raises(NotATime):
            parse_milliseconds(text)


def test_rounding_is_half_to_even() -> None:
    assert [format_time(value, 3) for value in (1_000_500, 1_001_500, 59_999_600)] == ["1.000", "1.002", "1:00.000"]
