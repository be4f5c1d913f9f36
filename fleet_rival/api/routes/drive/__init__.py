"""Routes by which laps come in."""
