"""Quantities are told in each person's units, and what isn't a quantity of ours is left alone."""

import re
from typing import get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fleet_rival.core.units import DEFAULTS, UNITS, in_units, measure, resolved, unit_name
from fleet_rival.core.words import PressureUnit, SpeedUnit, TemperatureUnit, VolumeUnit

CHOICES = st.fixed_dictionaries({quantity: st.sampled_from(sorted(units)) for quantity, units in UNITS.items()})


@pytest.mark.parametrize(
    ("quantity", "value", "unit", "told"),
    [
        ("temperature", -40, "°F", "−40 °F"),
        ("temperature", 26, "°F", "79 °F"),
        ("pressure", 101.325, "psi", "14.7 psi"),
        ("pressure", 172.4, "bar", "1.72 bar"),
        ("speed", 60, "mph", "37 mph"),
        ("volume", 84.5, "gal", "22.3 gal"),
    ],
)
def test_what_everybody_knows(quantity: str, value: float, unit: str, told: str) -> None:
    assert in_units(measure(quantity, value), resolved({quantity: unit})) == told


def test_the_units_that_are_chosen_from_are_those_that_there_are() -> None:
    types = {"speed": SpeedUnit, "temperature": TemperatureUnit, "pressure": PressureUnit, "volume": VolumeUnit}
    assert {quantity: get_args(kind) for quantity, kind in types.items()} == {
        quantity: tuple(units) for quantity, units in UNITS.items()
    }


def test_how_far_two_are_apart_has_no_offset() -> None:
    assert in_units(measure("temperature", 10, apart=True), resolved({"temperature": "°F"})) == "18 °F"


@given(CHOICES, st.sampled_from(sorted(UNITS)), st.floats(-300, 900), st.integers(0, 3), st.text())
def test_a_quantity_comes_back_within_its_last_digit_and_the_rest_stays(
    units: dict[str, str], quantity: str, value: float, decimals: int, around: str
) -> None:
    text = around.replace("\ue000", "").replace("\ue001", "")
    told = in_units(f"{text}{measure(quantity, value, decimals)}{text}", units)
    assert told.startswith(text) and told.endswith(units[quantity] + text)
    number = re.fullmatch(r"(−?[0-9.]+) \S+", told[len(text) : len(told) - len(text)])
    assert number
    unit = UNITS[quantity][units[quantity]]
    back = (float(number[1].replace("−", "-")) - unit.offset) / unit.factor
    assert abs(back - value) <= 0.5 * 10.0 ** -(decimals + unit.more_decimals) / unit.factor + 1e-5 / unit.factor


@given(CHOICES, st.text())
def test_a_text_without_quantities_stays_as_it_is(units: dict[str, str], text: str) -> None:
    if "\ue000" not in text:
        assert in_units(text, units) == text


def test_who_chose_nothing_has_the_drivers_then_the_teams_then_what_is_kept() -> None:
    assert resolved() == DEFAULTS
    assert resolved(
        {"speed": None, "volume": "l"}, {"fuel": "gal", "speed": "mph"}, {"pressure": "psi", "speed": "km/h"}
    ) == {
        "speed": "mph",
        "temperature": "°C",
        "pressure": "psi",
        "volume": "l",
    }
    assert resolved(None, {"fuel": "gal"})["volume"] == "gal"
    assert resolved({"speed": ["mph"], "volume": {}, "pressure": 7, "temperature": True}, {"speed": "mph"}) == {
        **DEFAULTS,
        "speed": "mph",
    }
    assert in_units(f"so many {unit_name('speed')}", resolved({"speed": "mph"})) == "so many mph"


@pytest.mark.parametrize(
    "inside",
    [
        "speed:1.2.3:0:a",
        "altitude:1.000000:0:a",
        "speed:nan:0:a",
        "speed:1e9:0:a",
        "speed:1.000000:x:a",
        "altitude",
        "",
        "speed:",
    ],
)
def test_what_somebody_typed_with_our_marks_stays_as_it_is(inside: str) -> None:
    text = f"a \ue000{inside}\ue001 b"
    assert in_units(text, DEFAULTS) == text
