"""Values that are computed from others, live and over the past by the same code, and
kept like readings that a node sent."""
