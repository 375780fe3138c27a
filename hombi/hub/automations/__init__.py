"""What the house does by itself."""
