"""The shapes that go over the API, each once: the schema, the answers and the client's
models come from here. Times are milliseconds since 1970."""
