"""The report keeps its contract: keys, types and units, for ordinary and for degenerate input."""

import json
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from fleet_rival.core.analysis import analyse
from fleet_rival.core.clinics import clinics_of, curves_by_driver
from fleet_rival.core.laps.lap import Lap
from fleet_rival.core.report import report
from fleet_rival.core.settings import Settings
from fleet_rival.core.words import MISTAKES
from fleet_rival.formats.laps import read_laps
from fleet_rival.formats.tracks import read_track
from tests.making import lap, track, whole_lap

DATA = Path(__file__).parents[1] / "data"

TIME = {"type": ["integer", "null"]}
RATE = {"type": ["number", "null"], "minimum": 0, "maximum": 1}
WHERE = {"session": {"type": "string"}, "run": {"type": "integer"}, "lap": {"type": "integer"}}
PART = {
    "type": "object",
    "properties": {"code": {"type": "string"}, "time_us": {"type": "integer", "exclusiveMinimum": 0}, **WHERE},
    "required": ["code", "time_us", "session", "run", "lap"],
}
IDEALS = ("sector", "segment", "unbroken", "linked_qualifying", "linked_race")
COUNTS = (
    "total",
    "flying",
    "eligible",
    "clean",
    "cold",
    "invalid",
    "incident",
    "tow",
    "traffic",
    "carried",
    "cool",
    "practice_only",
    "spoiled",
)
CONSISTENCY = {
    "n": {"type": "integer"},
    **dict.fromkeys(
        ("median_us", "mean_us", "sd_us", "robust_sd_us", "adjusted_sd_us", "p10_us", "p90_us", "longest_streak"), TIME
    ),
    "spread_pct": {"type": ["number", "null"]},
    "spread_s_per_sqrt_min": {"type": ["number", "null"]},
    "within_half_pct": RATE,
    "clean_rate": RATE,
    "share": {"type": ["object", "null"], "additionalProperties": {"type": "number"}},
}
CORNERS = ("mistakes", "cold_mistakes", "standing", "trades")
MISTAKE = {
    "type": "object",
    "properties": {
        "corner": {"type": "string"},
        "kind": {"enum": [*MISTAKES]},
        "source": {"enum": ["telemetry", "times", "file", "person"]},
        **{key: {"type": "number", "minimum": 0, "maximum": 1} for key in ("rate", "rate_low", "rate_high")},
        **{
            key: {"type": "integer"}
            for key in ("occurrences", "passes", "runs", "mean_loss_us", "knock_on_us", "cost_per_lap_us")
        },
        "recurring": {"type": "boolean"},
        "laps": {
            "type": "array",
            "items": {
                "type": "object",
                "properties": {**WHERE, "loss_us": {"type": "integer"}},
                "required": [*WHERE, "loss_us"],
            },
        },
    },
    "required": [
        "corner",
        "kind",
        "source",
        "occurrences",
        "passes",
        "rate",
        "rate_low",
        "rate_high",
        "mean_loss_us",
        "knock_on_us",
        "cost_per_lap_us",
    ],
}
GROUP = {
    "type": "object",
    "properties": {
        "group": {
            "type": "object",
            "properties": {
                "car": {"type": ["string", "null"]},
                "wetness": {"enum": ["dry", "damp", "wet"]},
                "compound": {"type": ["string", "null"]},
                "race": {"type": "boolean"},
            },
            "required": ["car", "wetness", "compound", "race"],
        },
        "laps": {
            "type": "object",
            "properties": {key: {"type": "integer", "minimum": 0} for key in COUNTS},
            "required": list(COUNTS),
        },
        "best_us": TIME,
        "ideal": {
            "type": "object",
            "properties": {
                **{f"{name}_us": TIME for name in IDEALS},
                "parts": {
                    "type": "object",
                    "properties": {name: {"type": "array", "items": PART} for name in IDEALS},
                    "required": list(IDEALS),
                },
            },
            "required": [*(f"{name}_us" for name in IDEALS), "parts"],
        },
        "consistency": {"type": "object", "properties": CONSISTENCY, "required": list(CONSISTENCY)},
        "segments": {
            "type": "object",
            "additionalProperties": {
                "type": "object",
                "properties": {
                    "n": {"type": "integer"},
                    "reference_us": TIME,
                    "mean_loss_us": TIME,
                    "sd_us": TIME,
                    "slips": TIME,
                },
                "required": ["n", "reference_us", "mean_loss_us", "sd_us", "slips"],
            },
        },
        "best_of": {
            "type": ["array", "null"],
            "items": {
                "type": "object",
                "properties": {"laps": {"type": "integer"}, "p10_us": TIME, "p50_us": TIME, "p90_us": TIME},
            },
        },
        "falloff": {
            "type": ["object", "null"],
            "properties": {
                **{key: {"type": "integer"} for key in ("us_per_lap", "low_us", "high_us")},
                **{key: {"type": ["integer", "null"]} for key in ("tyre_us_per_lap", "tyre_low_us", "tyre_high_us")},
                **{key: {"type": "integer", "minimum": 1} for key in ("laps_used", "runs_used")},
            },
            "required": [
                "us_per_lap",
                "low_us",
                "high_us",
                "tyre_us_per_lap",
                "tyre_low_us",
                "tyre_high_us",
                "laps_used",
                "runs_used",
            ],
        },
        "mistakes": {"type": ["array", "null"], "items": MISTAKE},
        "cold_mistakes": {"type": ["array", "null"], "items": MISTAKE},
        "standing": {
            "type": ["array", "null"],
            "items": {
                "type": "object",
                "required": ["corner", "kind", "loss_us", "against"],
                "properties": {"kind": {"enum": [*MISTAKES]}},
            },
        },
        "trades": {
            "type": ["array", "null"],
            "items": {"type": "object", "required": ["first", "second", "correlation", "n"]},
        },
        "missing": {"type": "object", "additionalProperties": {"type": "string", "minLength": 8}},
    },
    "required": [
        "group",
        "laps",
        "best_us",
        "ideal",
        "consistency",
        "segments",
        "best_of",
        "falloff",
        "missing",
        "mistakes",
        "cold_mistakes",
        "standing",
        "trades",
    ],
}
REPORT = {
    "type": "object",
    "properties": {
        "format": {"const": "fleet-rival/report"},
        "version": {"const": 1},
        "set_aside": {
            "type": "array",
            "items": {"type": "object", "required": ["file", "line", "column", "value", "reason"]},
        },
        "warnings": {"type": "array", "items": {"type": "object", "required": ["file", "line", "reason"]}},
        "drivers": {
            "type": "object",
            "additionalProperties": {
                **GROUP,
                "properties": {**GROUP["properties"], "groups": {"type": "array", "items": GROUP}},
            },  # type: ignore[dict-item]
        },
        "team_ideal": {
            "type": "object",
            "properties": {
                "segment_us": TIME,
                "sector_us": TIME,
                "parts": {"type": "array", "items": {**PART, "required": [*PART["required"], "driver"]}},
            },
            "required": ["segment_us", "sector_us", "parts"],
        },
    },
    "required": ["format", "version", "set_aside", "warnings", "drivers", "team_ideal"],
}

LAYOUT = track(4)
DEGENERATE: dict[str, list[Lap]] = {
    "no lap at all": [],
    "one lap": [whole_lap(1, 60)],
    "out laps alone": [whole_lap(number, 60, kind="out") for number in range(1, 5)],
    "all laps equal": [lap(number, 5, 10, 12, 11, 9) for number in range(1, 20)],
    "tow laps alone": [lap(number, 5, 10, 12, 11, 9, flags=frozenset({"tow"})) for number in range(1, 12)],
    "void laps alone": [lap(number, 5, 10, 12, 11, 9, valid=False) for number in range(1, 12)],
    "twenty minutes a lap": [whole_lap(number, 1200 + number % 7) for number in range(1, 12)],
    "wet and dry mixed": [
        whole_lap(number, 60 + number % 5, wetness=("dry", "damp", "wet")[number % 3]) for number in range(1, 40)
    ],
    "a race": [whole_lap(number, 60 + number % 3 / 10, session_kind="race") for number in range(1, 20)],
    "a sector missing throughout": [
        whole_lap(number, 60, sectors={"S1": 20_000_000, "S3": 20_000_000}) for number in range(1, 12)
    ],
    "a lap number missing each time": [whole_lap(number * 2, 60 + number % 4 / 10) for number in range(1, 20)],
}


def checked(laps: list[Lap], **settings: float) -> dict[str, Any]:
    analysis = analyse(LAYOUT, laps, Settings.from_mapping(settings))
    made = report(
        analysis, clinics_of(LAYOUT, analysis, curves_by_driver(analysis, {}), Settings.from_mapping(settings))
    )
    text = json.dumps(made, allow_nan=False)
    jsonschema.validate(json.loads(text), REPORT)
    return made


@pytest.mark.parametrize("name", DEGENERATE)
def test_degenerate_input_gives_a_true_figure_or_a_reason(name: str) -> None:
    for settings in ({}, {"cold_laps": 0}, {"cold_seconds": 90}):
        made = checked(DEGENERATE[name], **settings)
        for driver in made["drivers"].values():
            for group in (driver, *driver["groups"]):
                assert (group["best_us"] is None) == ("best_us" in group["missing"])
                assert all(
                    (group["ideal"][f"{kind}_us"] is None) == (f"ideal.{kind}_us" in group["missing"])
                    for kind in IDEALS
                )
                assert (group["falloff"] is None) == ("falloff" in group["missing"])
                if group["falloff"] is not None:
                    assert (group["falloff"]["tyre_us_per_lap"] is None) == (
                        "falloff.tyre_us_per_lap" in group["missing"]
                    )
                for key in CORNERS:
                    assert (group[key] is None) == (key in group["missing"])


@pytest.mark.parametrize("folder", ["street-101", "oval-102", "dirty"])
def test_the_examples_reports_keep_the_contract(folder: str) -> None:
    layout = read_track(next((DATA / folder).glob("*.track.json")).read_bytes())
    for path in (DATA / folder).glob("*.laps.csv"):
        file = read_laps(path.read_bytes(), layout)
        analysis = analyse(layout, [item for _, item in file.laps])
        made = report(
            analysis,
            clinics_of(layout, analysis, curves_by_driver(analysis, {})),
            [row.as_row(path.name) for row in file.set_aside],
        )
        jsonschema.validate(json.loads(json.dumps(made, allow_nan=False)), REPORT)


def test_parts_of_an_ideal_add_up_to_it() -> None:
    made = checked(
        [lap(number, 5 + number % 3 / 10, 10 + number % 4 / 10, 12, 11 + number % 5 / 10, 9) for number in range(1, 20)]
    )
    (driver,) = made["drivers"].values()
    for kind in IDEALS:
        assert sum(part["time_us"] for part in driver["ideal"]["parts"][kind]) == driver["ideal"][f"{kind}_us"]
    assert sum(part["time_us"] for part in made["team_ideal"]["parts"]) == made["team_ideal"]["segment_us"]


def test_odd_company_in_a_group_is_warned_of() -> None:
    laps = [whole_lap(number, 60, setup="AB"[number % 2], track_temp_c=20.0 + number) for number in range(1, 12)]
    reasons = [row["reason"] for row in checked(laps)["warnings"]]
    assert reasons == [
        "laps with different setups (A, B) stand in one group",
        "track temperatures from 21 °C to 31 °C stand in one group",
    ]
    assert not checked(laps[:2], temperature_spread_c=20)["warnings"][1:]
