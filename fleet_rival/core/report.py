"""Puts the report together: the figures of an analysis under the keys of the open report format, version 1."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Final

from fleet_rival.core.analysis import Analysis, DriverAnalysis, GroupAnalysis
from fleet_rival.core.clinics import DriverClinics
from fleet_rival.core.consistency import Consistency
from fleet_rival.core.corners.clinic import Clinic
from fleet_rival.core.corners.recurring import Mistake
from fleet_rival.core.corners.standing_losses import StandingLoss
from fleet_rival.core.corners.temptations import Temptation
from fleet_rival.core.ideals import BestOf
from fleet_rival.core.ideals.ideal import PartTime
from fleet_rival.core.laps.lap import lap_reference
from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.ledger import Book, book_report
from fleet_rival.core.pace.falloff import Falloff
from fleet_rival.core.statistics import round_half_even
from fleet_rival.core.units import DEFAULTS, in_units
from fleet_rival.core.words import IDEALS

__all__ = ["driver_report", "report"]

_NOT_LOOKED: Final = "mistakes weren't looked for"
_NO_PARTS: Final = "no times of segments or sectors"


def report(
    analysis: Analysis,
    clinics: Mapping[str, DriverClinics] | None = None,
    set_aside: Sequence[Mapping[str, Any]] = (),
    warnings: Sequence[Mapping[str, Any]] = (),
    *,
    by_set: bool = True,
    books: Mapping[str, Sequence[Book]] | None = None,
) -> dict[str, Any]:
    """The report as a JSON-ready value.

    Args:
        analysis: the figures.
        clinics: the corners, of the same laps; where nobody looked for mistakes, nothing is told of them.
        set_aside: rows that couldn't be read or repeat another, as the format's `set_aside` wants them.
        warnings: warnings on lines; those on groups are added here.
        by_set, books: as in `driver_report`, the books by driver.
    """
    return {
        "format": "fleet-rival/report",
        "version": 1,
        "set_aside": [dict(row) for row in set_aside],
        "warnings": [dict(row) for row in warnings] + list(_group_warnings(analysis)),
        "drivers": {
            name: driver_report(
                driver, clinics[name] if clinics else None, by_set=by_set, books=books[name] if books else None
            )
            for name, driver in analysis.drivers.items()
        },
        "team_ideal": {
            "segment_us": analysis.team.segment_us,
            "sector_us": analysis.team.sector_us,
            "group": analysis.team_group._asdict() if analysis.team_group else None,
            "parts": [
                {"code": part.code, "driver": part.lap.driver, "time_us": part.time_us, **lap_reference(part.lap)}
                for part in analysis.team.parts
            ],
        },
    }


def _group_warnings(analysis: Analysis) -> Iterator[dict[str, Any]]:
    for name, driver in analysis.drivers.items():
        for group in (driver.main, *driver.others):
            for warning in group.warnings:
                yield {"file": None, "line": None, "driver": name, "reason": in_units(warning, DEFAULTS)}


def driver_report(
    driver: DriverAnalysis,
    clinics: DriverClinics | None = None,
    *,
    by_set: bool = True,
    books: Sequence[Book] | None = None,
) -> dict[str, Any]:
    """One driver's part of the report.

    Args:
        by_set: whether falloff is told by tyre set too, which takes as long as the rest.
        books: of the main group and the others; where nobody wrote any, nothing is told of them.
    """
    none: list[Book | None] = [None] * (1 + len(driver.others))
    own, *more = books or none
    figures = _group(
        driver.main, driver.laps, clinics.main if clinics else None, clinics.standing if clinics else None, by_set, own
    )
    if driver.guest:
        figures["guest"] = True
    others = clinics.others if clinics else [None] * len(driver.others)
    return {
        **figures,
        "groups": [
            _group(group, driver.laps, clinic, None, by_set, book)
            for group, clinic, book in zip(driver.others, others, more, strict=True)
        ],
    }


def _group(
    group: GroupAnalysis,
    laps: Sequence[JudgedLap],
    clinic: Clinic | None,
    standing: Sequence[StandingLoss] | None,
    by_set: bool,
    book: Book | None,
) -> dict[str, Any]:
    missing = _why_missing(group)
    segments = {}
    slips = Counter(slip.corner for slip in clinic.slips) if clinic and clinic.depth == "segments" else Counter[str]()
    for code, figures in group.segments.items():
        segments[code] = {
            "n": figures.n,
            "reference_us": round_half_even(figures.reference.time_us) if figures.reference else None,
            "mean_loss_us": round_half_even(figures.mean_loss_us),
            "sd_us": round_half_even(figures.sd_us),
            "slips": slips[code] if clinic and figures.n else None,
            "candidate": bool(figures.reference and figures.reference.candidate),
        }
        for key, value in segments[code].items():
            if value is None:
                missing[f"segments.{code}.{key}"] = (
                    _NOT_LOOKED if key == "slips" and figures.n else "too few passes with a time here"
                )
    clean = f"{group.counts['clean']} clean laps are too few"
    best_of = _best_of(group.best_of, "best_of", clean, missing)
    after_out_lap = _best_of(
        group.best_of_after_out_lap,
        "best_of_after_out_lap",
        "no out lap followed by a counting cold lap, or too few clean laps",
        missing,
    )
    falloff = _falloff(group.falloff, missing, by_set)
    return {
        "group": group.group._asdict(),
        "sure": group.sure,
        "laps": dict(group.counts),
        "best_us": group.best.time_us if group.best else None,
        "best_lap": lap_reference(group.best) if group.best else None,
        "ideal": {
            **{f"{name}_us": group.ideals.time_us(name) for name in IDEALS},
            "parts": {
                name: [_part(part) for part in group.ideals.values[name].parts] if name in group.ideals.values else []
                for name in IDEALS
            },
        },
        "consistency": _consistency(group.consistency),
        "falloff": falloff,
        "segments": segments,
        **(_corners(laps, clinic, standing, missing) if clinic else _nothing_looked_for(missing)),
        **(book_report(book, laps, missing) if book else {}),
        "best_of": best_of,
        "best_of_after_out_lap": after_out_lap,
        "missing": missing,
    }


def _why_missing(group: GroupAnalysis) -> dict[str, str]:
    """Why the best lap, ideals and consistency are empty where they are."""
    missing: dict[str, str] = {}
    if group.best is None:
        missing["best_us"] = "no lap that may be the best one"
    for name, reason in group.ideals.reasons.items():
        missing[f"ideal.{name}_us"] = reason
    for name, reason in group.consistency.reasons.items():
        missing[f"consistency.{name}"] = reason
    if group.consistency.share is None:
        missing["consistency.share_interval"] = group.consistency.reasons["share"]
    else:
        missing |= {
            f"consistency.share_interval.{code}": "laps drawn anew give no interval"
            for code, share in group.consistency.share.items()
            if share.low is None
        }
    return missing


def _nothing_looked_for(missing: dict[str, str]) -> dict[str, None]:
    keys = ("mistakes", "cold_mistakes", "standing", "trades", "temptations")
    missing |= dict.fromkeys(keys, _NOT_LOOKED)
    return dict.fromkeys(keys)


def _corners(
    laps: Sequence[JudgedLap], clinic: Clinic, standing: Sequence[StandingLoss] | None, missing: dict[str, str]
) -> dict[str, Any]:
    """Mistakes, standing losses and trades; None where nothing can be known of them."""
    timed = any(figures.losses_us for figures in clinic.parts.values())
    cold = timed or bool(clinic.cold_mistakes)
    compared = (
        standing is not None
        and sum(bool(figures.reference and not figures.reference.candidate) for figures in clinic.parts.values()) >= 3
    )
    values: dict[str, Any] = {
        "mistakes": [_mistake(item, laps) for item in clinic.mistakes] if timed else None,
        "cold_mistakes": [_mistake(item, laps) for item in clinic.cold_mistakes] if cold else None,
        "standing": [
            {
                "corner": item.corner,
                "kind": item.kind,
                "loss_us": round_half_even(item.loss_us),
                "against": item.against,
            }
            for item in standing or ()
        ]
        if compared
        else None,
        "trades": [
            {
                "first": item.first,
                "second": item.second,
                "correlation": item.correlation,
                "low": item.low,
                "high": item.high,
                "n": item.n,
            }
            for item in clinic.trades
        ]
        if clinic.depth == "segments" and timed
        else None,
        "temptations": [_temptation(item) for item in clinic.temptations] if clinic.depth == "segments" else None,
    }
    why = {
        "mistakes": _NO_PARTS,
        "cold_mistakes": _NO_PARTS,
        "trades": "no times of segments",
        "temptations": "no times of segments",
    }
    why["standing"] = "told of the main group" if standing is None else "too few references of five passes or more"
    missing |= {key: why[key] for key, value in values.items() if value is None}
    return values


def _temptation(item: Temptation) -> dict[str, Any]:
    told: dict[str, Any] = {
        "corner": item.corner,
        "strikes": item.strikes,
        "passes": item.passes,
        "voided": len(item.voided),
        "among_fastest": item.among_fastest,
    }
    if item.won_us is not None:
        told |= {
            "shift_us": round_half_even(item.won_us.value_us),
            "low_us": round_half_even(item.won_us.low_us),
            "high_us": round_half_even(item.won_us.high_us),
        }
    if item.would_be_best_us is not None:
        told["would_be_best_us"] = item.would_be_best_us
    return told


def _mistake(item: Mistake, laps: Sequence[JudgedLap]) -> dict[str, Any]:
    return {
        "corner": item.corner,
        "kind": item.kind,
        "source": item.source,
        "occurrences": len(item.slips),
        "passes": item.passes,
        "rate": item.rate,
        "rate_low": item.rate_low,
        "rate_high": item.rate_high,
        "mean_loss_us": round_half_even(item.mean_loss_us),
        "knock_on_us": round_half_even(item.knock_on_us),
        "cost_per_lap_us": round_half_even(item.cost_us),
        "recurring": item.recurring,
        "runs": item.runs,
        "laps": [
            {
                **lap_reference(laps[slip.lap].lap),
                "loss_us": slip.loss_us,
                "knock_on_us": round_half_even(slip.knock_on_us),
                **({"seen_at": slip.corner} if slip.corner != item.corner else {}),
            }
            for slip in item.slips
        ],
    }


def _part(part: PartTime) -> dict[str, Any]:
    return {"code": part.code, "time_us": part.time_us, **lap_reference(part.lap)}


def _best_of(
    results: Sequence[BestOf] | None, name: str, why_none: str, missing: dict[str, str]
) -> list[dict[str, Any]] | None:
    if results is None:
        missing[name] = why_none
        return None
    rows = []
    for result in results:
        row: dict[str, Any] = {"laps": result.laps}
        for key in ("p10_us", "p50_us", "p90_us"):
            row[key] = round_half_even(getattr(result, key))
            if row[key] is None:
                missing[f"{name}.{result.laps}.{key}"] = "it is too likely that none of these laps counts"
        rows.append(row)
    return rows


def _falloff(figures: Falloff, missing: dict[str, str], by_set: bool) -> dict[str, Any] | None:
    net = figures.net
    if net is None:
        missing["falloff"] = figures.reasons["us_per_lap"]
        return None
    missing |= {f"falloff.{name}": reason for name, reason in figures.reasons.items()}
    missing |= {
        f"falloff.{name}": figures.reasons["tyre_us_per_lap"]
        for name in ("tyre_low_us", "tyre_high_us")
        if figures.tyre_us_per_lap is None
    }
    cliff = figures.cliff
    return {
        "us_per_lap": round_half_even(net.value),
        "low_us": round_half_even(net.low),
        "high_us": round_half_even(net.high),
        "tyre_us_per_lap": round_half_even(figures.tyre_us_per_lap),
        "tyre_low_us": round_half_even(figures.tyre_low_us),
        "tyre_high_us": round_half_even(figures.tyre_high_us),
        "laps_used": net.n,
        "runs_used": net.runs,
        "correlation": net.correlation,
        "cliff": None
        if cliff is None
        else {
            "at": cliff.at,
            "by": cliff.by,
            "before_us": round_half_even(cliff.before_us),
            "after_us": round_half_even(cliff.after_us),
        },
        "by_set": {
            label: {
                "us_per_lap": round_half_even(slope.value),
                "low_us": round_half_even(slope.low),
                "high_us": round_half_even(slope.high),
            }
            for label, slope in sorted(figures.by_set().items() if by_set else ())
        },
    }


def _consistency(figures: Consistency) -> dict[str, Any]:
    share = figures.share
    return {
        "n": figures.n,
        **{
            key: round_half_even(getattr(figures, key))
            for key in ("median_us", "mean_us", "sd_us", "robust_sd_us", "adjusted_sd_us")
        },
        "spread_pct": figures.spread_pct,
        "spread_s_per_sqrt_min": figures.spread_s_per_sqrt_min,
        "p10_us": round_half_even(figures.p10_us),
        "p90_us": round_half_even(figures.p90_us),
        "within_half_pct": None if figures.within_half_pct is None else float(figures.within_half_pct),
        "clean_rate": None if figures.clean_rate is None else float(figures.clean_rate),
        "longest_streak": figures.longest_streak,
        "successive_difference_ratio": figures.successive_difference_ratio,
        "share": None if share is None else {code: item.value for code, item in share.items()},
        "share_interval": None
        if share is None
        else {code: None if item.low is None else [item.low, item.high] for code, item in share.items()},
    }
