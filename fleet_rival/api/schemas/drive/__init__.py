"""What goes over the wire of laps that come in."""
