"""Options: is technique A or B better, and for what?"""

from fleet_rival.core.options.samples import option_pairs, runs_with
from fleet_rival.core.options.trial import OptionTrial, Verdict, option_trial

__all__ = ["OptionTrial", "Verdict", "option_pairs", "option_trial", "runs_with"]
