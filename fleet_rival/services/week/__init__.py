"""The first step: what is on, who drives what in which car, and when."""
