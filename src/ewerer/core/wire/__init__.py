"""What goes over the wire: open formats by their public specifications, and the invented CAN protocols as DBC files."""
