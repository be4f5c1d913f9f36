"""Routes that belong to no one step."""
