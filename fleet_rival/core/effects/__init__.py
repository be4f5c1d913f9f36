"""What moves a pass that is no mistake of it: setups, options and tyres, estimated side by side."""

from fleet_rival.core.effects.passes import WHOLE, Passes, passes_of
from fleet_rival.core.effects.setups import Setups
from fleet_rival.core.effects.together import Effects, Tyres, effects_of

__all__ = ["WHOLE", "Effects", "Passes", "Setups", "Tyres", "effects_of", "passes_of"]
