"""What goes over the wire of weeks."""
