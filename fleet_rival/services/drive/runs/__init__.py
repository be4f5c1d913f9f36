"""Runs: declared, collected by fingers and eyes, looked through afterwards."""
