"""Fix: what goes wrong in corners, why, and the work that removes it."""
