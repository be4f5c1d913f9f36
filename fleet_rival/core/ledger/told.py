"""The ledger, trials and proposals under the keys of the open report format."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any

from fleet_rival.core.laps.lap import lap_reference
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.ledger.accounts import Ledger
from fleet_rival.core.ledger.books import Book
from fleet_rival.core.options import OptionTrial, Verdict
from fleet_rival.core.statistics import round_half_even

__all__ = ["book_report"]


def book_report(book: Book, laps: Sequence[JudgedLap], missing: dict[str, str]) -> dict[str, Any]:
    """The keys `ledger`, `trials` and `proposals` of a group.

    Args:
        laps: all laps of the driver, in order.
        missing: takes up what is empty, and why.
    """
    ledger: dict[str, Any] | None = None
    if isinstance(book.ledger, str):
        missing["ledger"] = book.ledger
    else:
        ledger = _ledger(book.ledger, laps)
        missing |= {f"ledger.laps.accounts.{name}": reason for name, reason in book.ledger.reasons.items()}
        if ledger["tyres"] is None:
            missing["ledger.tyres"] = book.ledger.reasons.get("tyres", "no falloff beyond chance")
    return {
        "ledger": ledger,
        "trials": [_trial(trial) for trial in book.trials],
        "proposals": [asdict(proposal) for proposal in book.proposals],
    }


def _ledger(ledger: Ledger, laps: Sequence[JudgedLap]) -> dict[str, Any]:
    setups, tyres = ledger.setups, ledger.effects.tyres
    told: list[dict[str, Any]] = []
    if setups is not None and setups.low_us is not None and setups.high_us is not None:
        for row, label in enumerate(setups.labels):
            values = zip(ledger.codes, setups.shifts_us[row], setups.low_us[row], setups.high_us[row], strict=True)
            segments = {
                code: {"shift_us": round(float(shift)), "low_us": round(float(low)), "high_us": round(float(high))}
                for code, shift, low, high in values
            }
            told.append({"label": label, "against": setups.against, "segments": segments})
    return {
        "depth": ledger.depth,
        "laps": [
            {**lap_reference(laps[item.position].lap), "time_us": item.time_us, "accounts": dict(item.accounts)}
            for item in ledger.laps()
        ],
        "setups": told,
        "tyres": None
        if tyres is None
        else {
            "weights": dict(tyres.weights),
            "us_per_lap": {
                code: {
                    "value_us": round(value),
                    "low_us": round(tyres.low_us[code]),
                    "high_us": round(tyres.high_us[code]),
                }
                for code, value in tyres.us_per_lap.items()
            },
        },
    }


def _trial(trial: OptionTrial) -> dict[str, Any]:
    assert trial.first is not None and trial.second is not None
    told: dict[str, Any] = {
        "where": trial.where,
        "first": trial.first.label,
        "second": trial.second.label,
        "n": [trial.first.n, trial.second.n],
        "race": _verdict(trial, trial.race),
        "qualifying": _verdict(trial, trial.qualifying),
    }
    if trial.reason:
        told["why"] = trial.reason
    if trial.bundle:
        told["bundle"] = list(trial.bundle)
    if trial.comes_off is not None:
        odds = trial.comes_off
        told["odds"] = {
            "label": odds.label,
            "comes_off": odds.comes_off,
            "low": odds.low,
            "high": odds.high,
            "won_us": round(odds.won_us),
            "lost_us": round(odds.lost_us),
        }
    return told


def _verdict(trial: OptionTrial, verdict: Verdict | None) -> Mapping[str, Any]:
    """A verdict; without one, what was seen so far."""
    shift = verdict.shift if verdict is not None else trial.shift
    return {
        "winner": verdict.winner if verdict is not None else "not_yet",
        "shift_us": None if shift is None else round_half_even(shift.value_us),
        "low_us": None if shift is None else round_half_even(shift.low_us),
        "high_us": None if shift is None else round_half_even(shift.high_us),
        "because": verdict.because if verdict is not None and verdict.winner in ("first", "second") else None,
    }
