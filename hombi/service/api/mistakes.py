"""Mistakes in texts, on the wire."""

from __future__ import annotations

from hombi import wire
from hombi.core.toml_text import Mistake


def mistake(mistake: Mistake) -> wire.Mistake:
    """A mistake in a text."""
    return wire.Mistake(
        line=mistake.place.line,
        column=mistake.place.column,
        what=mistake.what,
        hint=mistake.hint,
        source_line=mistake.source_line,
    )
