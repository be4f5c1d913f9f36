"""Plan: how ready everybody is, and the practice that fits into people's weeks."""
