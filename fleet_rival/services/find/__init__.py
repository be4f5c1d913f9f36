"""The fourth step: where the time is, for a driver and for everybody."""
