"""Hombi: a home hub that runs wholly in the house."""

__version__ = "0.3.0"
