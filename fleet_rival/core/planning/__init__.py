"""Preparing a week: what is open, blocks of practice, and the plan that places them."""
