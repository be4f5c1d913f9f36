"""Answers that are kept: beside the database, in memory, and made once where many ask at once."""
