"""Every threshold of the calculations by its name: of an analysis, of readiness, of planning."""

from fleet_rival.core.settings.analysis import Settings
from fleet_rival.core.settings.changing import BadSetting, BadValue
from fleet_rival.core.settings.planning import Planning
from fleet_rival.core.settings.readiness import CHECKS, BadRule, Rules, rules_of

__all__ = ["CHECKS", "BadRule", "BadSetting", "BadValue", "Planning", "Rules", "Settings", "rules_of"]
