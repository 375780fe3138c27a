"""Mistakes in texts, on the wire."""

from __future__ import annotations

from hombi.core.toml_text import Mistake
from hombi.wire.automations import Mistake as MistakeShape


def mistake(mistake: Mistake) -> MistakeShape:
    """A mistake in a text."""
    return MistakeShape(
        line=mistake.place.line,
        column=mistake.place.column,
        what=mistake.what,
        hint=mistake.hint,
        source_line=mistake.source_line,
    )
