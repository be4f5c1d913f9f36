"""Fleet Rival: the preparation desk of a sim racing team."""

__version__ = "0.1.0"
