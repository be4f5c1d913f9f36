"""What goes over the wire of figures."""
