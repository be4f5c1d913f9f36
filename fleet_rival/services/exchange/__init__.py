"""A whole team's data out and in again, as an exchange package."""
