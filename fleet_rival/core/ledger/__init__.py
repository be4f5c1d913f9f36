"""The ledger: every thousandth of a second of a lap is booked once, to what it is owed to."""

from fleet_rival.core.ledger.accounts import LapAccount, Ledger, average, group_effects, ledger_of, par_shares
from fleet_rival.core.ledger.books import Book, books_of, driver_books
from fleet_rival.core.ledger.proposals import Proposal, proposals_of
from fleet_rival.core.ledger.told import book_report
from fleet_rival.core.ledger.trials import booked_changes, trials_of

__all__ = [
    "Book",
    "LapAccount",
    "Ledger",
    "Proposal",
    "average",
    "book_report",
    "booked_changes",
    "books_of",
    "driver_books",
    "group_effects",
    "ledger_of",
    "par_shares",
    "proposals_of",
    "trials_of",
]
