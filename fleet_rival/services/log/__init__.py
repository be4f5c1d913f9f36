"""Afterwards: what was learned, and how it comes back."""
