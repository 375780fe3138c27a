"""Backups of the whole house: made while the hub runs, proved by opening them, and
checked without it."""
