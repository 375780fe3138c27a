"""Hombi: a home hub that runs wholly in the house."""

__version__ = "0.2.0"
