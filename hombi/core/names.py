"""Names: from what a person calls something to its address."""

from __future__ import annotations

import re

from anyascii import anyascii


def slug(text: str) -> str:
    """A text as an address uses it: small letters, digits and hyphens, other scripts
    written in these ("Überlauf" is "uberlauf", "日本" is "ri-ben"); "" when nothing is
    left."""
    text = anyascii(text)
    text = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", "-", text)
    return re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-")[:60]
