"""Ideal laps: five answers to five questions, the team's best parts, and the likely best of n laps."""

from fleet_rival.core.ideals.best_of import BestOf, best_of
from fleet_rival.core.ideals.ideal import Ideal, Ideals, PartTime, ideals_of
from fleet_rival.core.ideals.team import TeamIdeal, TeamPart, team_ideal

__all__ = ["BestOf", "Ideal", "Ideals", "PartTime", "TeamIdeal", "TeamPart", "best_of", "ideals_of", "team_ideal"]
