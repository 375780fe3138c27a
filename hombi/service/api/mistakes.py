"""Mistakes in texts, on the wire."""

from __future__ import annotations

from hombi import wire
from hombi.core.toml_text import Mistake


def mistake(found: Mistake) -> wire.Mistake:
    """A mistake in a text."""
    return wire.Mistake(
        line=found.place.line,
        column=found.place.column,
        what=found.what,
        hint=found.hint,
        source_line=found.source_line,
    )
