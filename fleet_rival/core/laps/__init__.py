"""Laps: what was said of them, which run they belong to, which marks they bear and which parts count."""
