"""How fast it is and what it withstands, as ratios measured in one run."""
