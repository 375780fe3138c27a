"""HTTP Message Signatures (RFC 9421) over a whole post, with the digest of its body
(RFC 9530): the receiver knows whom it is from, that nothing was changed, and how fresh
it is."""

from __future__ import annotations

import hashlib
import hmac
from base64 import b64encode
from collections.abc import Mapping

import httpx

# What the signature is called among others of the same message.
LABEL = "hombi"


def content_digest(body: bytes) -> str:
    """The Content-Digest of a body (RFC 9530, section 2)."""
    return f"sha-256=:{b64encode(hashlib.sha256(body).digest()).decode()}:"


def signature(components: Mapping[str, str], params: str, key: bytes) -> str:
    """The signature by HMAC-SHA-256 of these components (RFC 9421, sections 2.5 and
    3.3.3), in base64. `params` are the covered components with the signature's
    parameters, as Signature-Input has them."""
    lines = [f'"{name}": {value}' for name, value in components.items()]
    base = "\n".join([*lines, f'"@signature-params": {params}'])
    return b64encode(hmac.new(key, base.encode(), "sha256").digest()).decode()


def target_uri(url: httpx.URL) -> str:
    """An address as its receiver knows it (RFC 9421, section 2.2.2): with the path that
    is asked for, and without a fragment, which is not sent."""
    return str(url.copy_with(path=url.path or "/", fragment=None))


def signed(url: httpx.URL, content_type: str, body: bytes, key: str, now_s: int) -> dict[str, str]:
    """The headers with which a POST of this body to this address is signed."""
    digest = content_digest(body)
    components = {
        "@method": "POST",
        "@target-uri": target_uri(url),
        "content-type": content_type,
        "content-digest": digest,
    }
    covered = " ".join(f'"{name}"' for name in components)
    params = f'({covered});created={now_s};alg="hmac-sha256"'
    return {
        "Content-Type": content_type,
        "Content-Digest": digest,
        "Signature-Input": f"{LABEL}={params}",
        "Signature": f"{LABEL}=:{signature(components, params, key.encode())}:",
    }
