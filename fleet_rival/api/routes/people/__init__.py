"""Routes of signing in and of the team's people."""
