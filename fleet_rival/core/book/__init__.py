"""The track book: what is known of each corner, which references can be trusted, what follows for the race."""
