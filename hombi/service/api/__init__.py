"""The REST API under `/api/`. Each view is thin: it asks an action of the hub or a
query of the records."""
