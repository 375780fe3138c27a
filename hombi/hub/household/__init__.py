"""Who is home, and how the house and the hub are, as values."""
