"""All that one book tells: the ledger, the verdicts that rest on it, and the settings that it speaks for."""

from collections.abc import Mapping
from dataclasses import dataclass

from fleet_rival.core.analysis import Analysis, DriverAnalysis
from fleet_rival.core.clinics import DriverClinics
from fleet_rival.core.ledger.accounts import Ledger, ledger_of, par_shares
from fleet_rival.core.ledger.proposals import Proposal, proposals_of
from fleet_rival.core.ledger.trials import trials_of
from fleet_rival.core.options import OptionTrial
from fleet_rival.core.pace.par import Par, session_pars
from fleet_rival.core.settings import Settings
from fleet_rival.core.track import Track

__all__ = ["Book", "books_of", "driver_books"]


@dataclass(frozen=True, slots=True)
class Book:
    """One driver in one group.

    Attributes:
        ledger: or the reason why there is none.
    """

    ledger: Ledger | str
    trials: tuple[OptionTrial, ...]
    proposals: tuple[Proposal, ...]


def books_of(
    track: Track, analysis: Analysis, clinics: Mapping[str, DriverClinics], settings: Settings
) -> dict[str, list[Book]]:
    """Everybody's books, of the main group and the others in the order of the analysis.

    Args:
        clinics: of the same laps.

    >>> from fleet_rival.core.analysis import analyse
    >>> from fleet_rival.core.clinics import clinics_of
    >>> from fleet_rival.core.example import LAPS, TRACK
    >>> analysis = analyse(TRACK, LAPS)
    >>> clinics = clinics_of(TRACK, analysis, {"Ysolde Farrand": {}})
    >>> [book] = books_of(TRACK, analysis, clinics, Settings())["Ysolde Farrand"]
    >>> len(book.ledger.positions), book.trials, book.proposals
    (14, (), ())
    """
    pars = session_pars({name: driver.laps for name, driver in analysis.drivers.items()}, settings.par_moves_pct)
    par = {session: found for session, (found, _) in pars.items()}
    return {
        name: driver_books(track, driver, clinics[name], par, settings) for name, driver in analysis.drivers.items()
    }


def driver_books(
    track: Track, driver: DriverAnalysis, clinics: DriverClinics, par: Mapping[str, Par | str], settings: Settings
) -> list[Book]:
    """One driver's books, of the main group and the others.

    Args:
        par: by session.
    """
    shares = par_shares(driver.laps, par)
    out = []
    for group, clinic in zip((driver.main, *driver.others), (clinics.main, *clinics.others), strict=True):
        ledger = ledger_of(track, driver.laps, group, clinic, shares, settings)
        effects = None if isinstance(ledger, str) else ledger.effects
        trials = trials_of(track, driver.laps, group, effects, settings)
        out.append(Book(ledger, tuple(trials), tuple(proposals_of(group.falloff, settings))))
    return out
