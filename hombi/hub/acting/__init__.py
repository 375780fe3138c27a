"""What the hub asks nodes to be: commands, what stays wanted, scenes."""
