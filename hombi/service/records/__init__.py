"""The hub's records in the database: models, the hub's port on them, and the queries
that the API asks."""
