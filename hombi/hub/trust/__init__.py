"""HTTPS without a cloud: the house's own authority, the certificate that the hub shows,
and what a device needs to trust it."""

from hombi.hub.trust.authority import Authority, AuthorityError
from hombi.hub.trust.part import HTTPS_FILE, Trust
from hombi.hub.trust.profile import configuration_profile

__all__ = ["HTTPS_FILE", "Authority", "AuthorityError", "Trust", "configuration_profile"]
