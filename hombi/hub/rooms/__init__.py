"""Floors, rooms, and the pages of tiles."""
