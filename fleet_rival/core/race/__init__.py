"""The race ahead: distance, consumption, tyres and stops, limits, pressures."""
