"""A small world of its own: a car on a road of straights and arcs, drivers with habits. Feeds the demo and tests.

Everything in it is invented. The same seed gives the same laps.
"""
