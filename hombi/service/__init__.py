"""The service: the hub on Django. The only package that imports it."""
