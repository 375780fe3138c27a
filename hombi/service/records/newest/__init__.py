"""The newest readings, in a small database of their own."""
