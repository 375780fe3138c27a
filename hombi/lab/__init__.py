"""The lab: a simulated house with nodes and a phone, which meets the hub on the wire
only."""
