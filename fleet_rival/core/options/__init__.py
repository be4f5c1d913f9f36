"""Options: is technique A or B better, and for what?"""

from fleet_rival.core.options.results import OptionTrial, Shift, Verdict
from fleet_rival.core.options.samples import option_pairs, runs_with, what_else_changed
from fleet_rival.core.options.trial import option_trial

__all__ = ["OptionTrial", "Shift", "Verdict", "option_pairs", "option_trial", "runs_with", "what_else_changed"]
