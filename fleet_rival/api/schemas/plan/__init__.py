"""What goes over the wire of the plan, readiness and who drives which race."""
