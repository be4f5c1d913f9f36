"""Who is in the team, how they come in, and in which role."""
