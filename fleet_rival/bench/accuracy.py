"""`./fleet bench --truth`: all that is held against a known truth, and docs/accuracy.md."""

import os
from pathlib import Path

import fleet_rival
from fleet_rival.bench.accounts import accounts_found, accounts_table, cold_found, cold_table
from fleet_rival.bench.corners import corners_found, corners_table
from fleet_rival.bench.options import options_found, options_table
from fleet_rival.bench.trials import trials_found, trials_table
from fleet_rival.bench.truth import falloff_held, odds_told, truth_tables
from fleet_rival.runtime.console import say, step

__all__ = ["bench_truth"]

_DRIVERS, _SEED = 400, 20310407
_FOR_ODDS = 4
"""Times as many: of 400 drivers, the ratio of Brier scores scatters by as much as half of what is aimed at."""
_SETS = 40
_CORNERS = """## Corners

Two simulated drivers each in sets of practice on a street and an oval, with telemetry at 10, 25 or 60 samples a
second; every other set has no habit.
"""
_EVENINGS = 60
_TRIALS = """## Setups, tyres and trades

Evenings of one driver, by times alone, put together from what each thing costs in each segment: noise is normal, with
heavy tails or correlated from lap to lap, in turn; a habit costs 0.06 s a lap. In how many of them something was told
that is there, and something that isn't.
"""
_OPTIONS = """## Options

Passes of one corner driven in turns two ways, in six runs, with the same kinds of noise: whether the trial tells what
is true, for the race and for qualifying.
"""
_LEDGER = """## The ledger

The same evenings, booked: whether what setups and tyres are told to do holds the truth within its interval of 95 %, and
how wide it is against a fit that knows all else.
"""
_ACCURACY = """# Accuracy

The last output of `./fleet bench --truth --save`: drivers made up with a known falloff, scatter and rate of failure,
seeded; their laps go through all rules.

"""


def bench_truth(*, save: bool) -> int:
    """Tell, and with `save` write down, how right the figures are. Returns 0."""
    with step("400 drivers whose truth is known"):
        tables = truth_tables(falloff_held(_DRIVERS, _SEED), odds_told(_FOR_ODDS * _DRIVERS, _SEED))
    with step(f"{_SETS} sets of drivers whose mistakes are known"):
        tables += f"\n{_CORNERS}\n{corners_table(corners_found(_SETS, _SEED))}"
    with step(f"{_EVENINGS} evenings of each kind whose accounts are known"):
        tables += f"\n{_TRIALS}\n{trials_table(trials_found(_EVENINGS, _SEED))}"
    with step(f"{_EVENINGS} trials of each kind whose truth is known"):
        tables += f"\n{_OPTIONS}\n{options_table(options_found(_EVENINGS, _SEED))}"
    with step(f"{_EVENINGS} evenings of each kind, booked"):
        tables += f"\n{_LEDGER}\n{accounts_table(accounts_found(_EVENINGS, _SEED))}"
        tables += f"\n{cold_table(cold_found(_EVENINGS, _SEED))}"
    say(tables)
    if save:
        path = Path(os.environ["FLEET_HOME"]) / "docs" / "accuracy.md"
        path.write_text(f"{_ACCURACY}{tables}\nVersion {fleet_rival.__version__}, seed {_SEED}.\n", encoding="utf-8")
        say(f"Written: {path}")
    return 0
