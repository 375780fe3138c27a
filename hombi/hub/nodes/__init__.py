"""The nodes of the house: how they come in, what they have, what is done with them."""
