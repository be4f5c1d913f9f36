"""What the columns of a lap file mean, in words for the mapping step."""

from typing import Final

__all__ = ["TARGET_WORDS"]

TARGET_WORDS: Final = {
    "driver": "driver",
    "car": "car",
    "session": "session",
    "session_kind": "kind of session",
    "session_local": "time inside the simulation",
    "run": "run",
    "lap": "lap number",
    "time": "lap time",
    "started_at": "moment of the start",
    "kind": "kind of lap",
    "valid": "valid or void",
    "flags": "flags",
    "incidents": "incidents",
    "strikes": "track limits",
    "company": "company",
    "tyre_set": "tyre set",
    "compound": "compound",
    "tyre_age": "tyre age",
    "fuel_l": "fuel, litres",
    "energy_kwh": "energy, kWh",
    "track_temp_c": "track temperature, °C",
    "air_temp_c": "air temperature, °C",
    "wetness": "dry, damp or wet",
    "purpose": "purpose of the run",
    "setup": "setup",
    "assists": "assists",
    "options": "options tried",
    "mistakes": "mistakes seen",
    "note": "note",
    "plus_minus_ms": "± of a hand time, ms",
    "sector": "which sector (a row each)",
    "sector_time": "time of that sector",
}
"""Column of the lap format to what it is called."""
