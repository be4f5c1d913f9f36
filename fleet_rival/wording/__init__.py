"""Codes and values from the core to plain sentences, in one place, for the interface, PDF and plain text."""
