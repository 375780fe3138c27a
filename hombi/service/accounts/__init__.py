"""People's accounts: claiming the owner's, signing in, and the tokens of command lines
and programs."""
