"""HTTPS without a cloud: the house's own authority, the certificate that the hub shows,
and what a device needs to trust it."""
