"""Looking over the past: months side by side, and pasts that are imported."""
