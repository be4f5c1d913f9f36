"""The demo team: loaded through the same doors as everybody's data."""
