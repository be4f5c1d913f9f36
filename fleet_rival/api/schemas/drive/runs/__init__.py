"""What goes over the wire of runs."""
