"""The hub's runtime: who is in the house, what they say, and what the house does about
it. No Django here."""
