"""What goes over the wire of mistakes, work on them, and setups."""
