"""Where every thousandth went: the account of each lap of a driver, and of everybody's average lap."""

import json
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass, replace
from functools import partial
from uuid import UUID

from sqlalchemy.orm import Session, sessionmaker

from fleet_rival.core.laps.marks import JudgedLap
from fleet_rival.core.ledger import LapAccount, Ledger, average, ledger_of, par_shares
from fleet_rival.core.words import ACCOUNTS, Account, Depth
from fleet_rival.db.tables import Combination
from fleet_rival.formats.figures_export import write_figures
from fleet_rival.services.find.analyses import pars_of
from fleet_rival.services.find.figures import may_see, sees_others
from fleet_rival.services.find.look import Look, asked_look
from fleet_rival.services.fix.passes import LookedThrough, look_through
from fleet_rival.services.shared.base import Actor
from fleet_rival.services.shared.cache.answers import as_json, kept_answer
from fleet_rival.wording.accounts import ACCOUNT_MEANING, ACCOUNT_WORDS, average_words, lap_words

__all__ = ["AccountTold", "AverageLap", "BookedLap", "DriverAccounts", "accounts_csv", "driver_accounts"]

Values = Mapping[Account, int | None]


@dataclass(frozen=True, slots=True)
class AccountTold:
    """An account: its name, what it holds, why it is empty where it is, and what else it may hold."""

    account: Account
    words: str
    meaning: str
    missing: str | None
    caution: str | None


@dataclass(frozen=True, slots=True)
class BookedLap:
    """One flying lap.

    Attributes:
        session_id: public id.
        accounts: whole microseconds, which add up to the time; None: can't be told.
        words: the account in a line.
    """

    session: str
    session_id: str
    run: int | None
    lap: int
    setup: str | None
    time_us: int
    clean: bool
    accounts: Values
    words: str


@dataclass(frozen=True, slots=True)
class AverageLap:
    """A driver's average flying lap.

    Attributes:
        laps: behind it.
        accounts: averages in microseconds, which add up to the time.
    """

    id: str
    name: str
    laps: int
    time_us: int
    accounts: Values


@dataclass(frozen=True, slots=True)
class DriverAccounts:
    """The ledger of one driver.

    Attributes:
        depth: by which parts it is kept; None: there is none, for this reason.
        average: over all laps.
        team: everybody's average lap, the driver's own among them, for who may see them.
    """

    id: str
    name: str
    depth: Depth | None
    reason: str | None
    accounts: tuple[AccountTold, ...]
    laps: tuple[BookedLap, ...]
    average: AverageLap | None
    words: str | None
    team: tuple[AverageLap, ...]


def driver_accounts(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    driver_id: UUID,
    week_id: UUID | None = None,
    also: Iterable[str] = (),
) -> tuple[bytes, str]:
    """The ledger of one driver in one combination, as JSON of `DriverAccounts`, and the stamp of the state that it
    belongs to.

    Args:
        week_id: of a series' week, whose own laps alone are meant; all laps where missing.
        also: what counts along, after `look.ALSO`.

    Raises:
        NotThere: no such combination, the driver has no laps in it, or they aren't the actor's business.
    """
    may_see(sessions, actor, driver_id)
    look = asked_look(sessions, actor, combination_id, week_id, also)
    names = "" if sees_others(sessions, actor) else ":alone"
    about = f"accounts:{driver_id}{names}{look.tail}"
    return kept_answer(sessions, actor, combination_id, about, partial(_compute, sessions, look))


def accounts_csv(
    sessions: sessionmaker[Session],
    actor: Actor,
    combination_id: UUID,
    driver_id: UUID,
    week_id: UUID | None = None,
    also: Iterable[str] = (),
) -> bytes:
    """The ledger of one driver as a table, a row for each lap. Arguments and errors as in `driver_accounts`."""
    told = json.loads(driver_accounts(sessions, actor, combination_id, driver_id, week_id, also)[0])
    rows = [
        {
            **{name: lap[name] for name in ("session", "run", "lap", "setup", "time_us")},
            **{f"{name}_us": lap["accounts"][name] for name in ACCOUNTS},
        }
        for lap in told["laps"]
    ]
    return write_figures(rows, ("session", "run", "lap"))


def _compute(
    sessions: sessionmaker[Session], look: Look, session: Session, actor: Actor, row: Combination
) -> dict[str, bytes]:
    found = look_through(sessions, look, session, actor, row)
    par = {label: curve for label, (curve, _) in pars_of(look, row, found.track, found.analysis).items()}
    ledgers = {
        name: ledger_of(
            found.track,
            driver.laps,
            driver.main,
            found.clinics[name].main,
            par_shares(driver.laps, par),
            found.settings,
        )
        for name, driver in found.analysis.drivers.items()
    }
    told = {name: _told(found, name, ledger) for name, ledger in ledgers.items()}
    team = tuple(
        item.average
        for name, item in told.items()
        if item.average is not None and not found.analysis.drivers[name].guest
    )
    answers = {}
    for item in told.values():
        own = (item.average,) if item.average is not None else ()
        # A guest is told beside the team, and no part of it.
        guest = own if found.analysis.drivers[item.name].guest else ()
        for alone, others in (("", (*guest, *team)), (":alone", own)):
            answers[f"accounts:{item.id}{alone}{look.tail}"] = as_json(asdict(replace(item, team=others)))
    return answers


def _told(found: LookedThrough, name: str, ledger: Ledger | str) -> DriverAccounts:
    key = found.ids[name]
    if isinstance(ledger, str):
        return DriverAccounts(key, name, None, ledger, (), (), None, None, ())
    driver = found.analysis.drivers[name]
    flying = [item for item in ledger.laps() if driver.laps[item.position].flying]
    laps = tuple(_lap(found, driver.laps[item.position], item) for item in flying)
    accounts = tuple(
        AccountTold(
            account,
            ACCOUNT_WORDS[account],
            ACCOUNT_MEANING[account],
            ledger.reasons.get(account),
            ledger.cautions.get(account),
        )
        for account in ACCOUNTS
    )
    if not flying:
        return DriverAccounts(key, name, ledger.depth, None, accounts, (), None, None, ())
    usual = AverageLap(key, name, len(flying), *average(flying))
    words = average_words(usual.laps, usual.time_us, usual.accounts)
    return DriverAccounts(key, name, ledger.depth, None, accounts, laps, usual, words, ())


def _lap(found: LookedThrough, judged: JudgedLap, account: LapAccount) -> BookedLap:
    lap = judged.lap
    return BookedLap(
        lap.session,
        found.session_ids[lap.session],
        lap.run,
        lap.number,
        lap.setup,
        account.time_us,
        judged.clean,
        account.accounts,
        lap_words(account.time_us, account.accounts),
    )
