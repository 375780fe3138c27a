"""Nodes over Wi-Fi."""
