"""Notices: telling the household in the contacts over which each is reached, and going
on trying until a notice is there or is of no use any more."""
