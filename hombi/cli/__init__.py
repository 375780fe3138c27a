"""The command line: a thin skin on the client library."""
