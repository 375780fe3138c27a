"""The authority as a configuration profile, which is how some phones take one up."""

from __future__ import annotations

import plistlib
import uuid

from hombi.hub.trust.authority import Authority

# Names a profile by what is in it: taken up again, it takes its own place.
_OURS = uuid.UUID("6d2f0c6e-4f07-4d0e-9a57-1c5a1f1b4d7e")


def configuration_profile(authority: Authority, house: str) -> bytes:
    """A property list of type Configuration with the authority as a root certificate
    (payload type `com.apple.security.root`, from the maker's documentation of
    configuration profiles)."""
    whole = uuid.uuid5(_OURS, authority.fingerprint)
    inner = uuid.uuid5(whole, "root")
    certificate = {
        "PayloadType": "com.apple.security.root",
        "PayloadVersion": 1,
        "PayloadIdentifier": f"house.hombi.authority.{inner}",
        "PayloadUUID": str(inner).upper(),
        "PayloadDisplayName": authority.name,
        "PayloadContent": authority.der(),
    }
    return plistlib.dumps(
        {
            "PayloadType": "Configuration",
            "PayloadVersion": 1,
            "PayloadIdentifier": f"house.hombi.{whole}",
            "PayloadUUID": str(whole).upper(),
            "PayloadDisplayName": f"Trust {house}",
            "PayloadDescription": "This device will trust the hub of this house, and nothing else.",
            "PayloadContent": [certificate],
        }
    )
