"""What goes over the wire and belongs to no one step."""
