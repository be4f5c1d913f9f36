"""Corners: what a driver's good pass costs there, and what the other passes lose against it."""
