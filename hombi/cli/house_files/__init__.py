"""The house as text files in a folder: what is in each, and how a hub takes it."""
