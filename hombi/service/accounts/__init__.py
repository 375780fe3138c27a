"""People's accounts: the first sign-in, later ones, and the tokens of command lines
and programs."""
