"""Seasons: weeks that rotate, their start times, who has time, who drives what, and what needs a decision."""
