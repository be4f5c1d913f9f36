"""Pace over a run: what laps cost as they are driven, by tyres, fuel and time; and what is left when that is taken
out.
"""
