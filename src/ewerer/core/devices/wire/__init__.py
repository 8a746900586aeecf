"""What goes over the wire, as published protocols write it."""
