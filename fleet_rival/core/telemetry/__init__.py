"""Traces: what a car's channels say of a lap, where it can be believed, and what can be read from it."""
