"""Runs: what is declared before one starts, what is typed and timed while it is driven, what changed since the run
before.
"""
