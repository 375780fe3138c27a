"""Readings, from their arrival to the sums of months."""
