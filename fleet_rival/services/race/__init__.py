"""The race ahead: what the laps say of it, and the sheet for the day."""
