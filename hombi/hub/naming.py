"""Names that people give: what no name may hold."""

from __future__ import annotations

from hombi.core.outside import hidden_sign
from hombi.hub.errors import Invalid


def proper_name(text: str, what: str) -> str:
    """A name as it is kept, without blanks around it; `what` begins the message ("the
    name of a room"). Raises Invalid for a sign that cannot be seen: it would forge a
    line of the journal, or turn round the text beside it."""
    name = text.strip()
    if odd := hidden_sign(name):
        raise Invalid(f"{what} holds a sign that cannot be seen (U+{ord(odd):04X}); delete it")
    return name
