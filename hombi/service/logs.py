"""The log: what comes from outside cannot forge a line of it, nor move the cursor of
whoever reads it."""

from __future__ import annotations

import logging

from hombi.core.outside import visible


class OneLine(logging.Formatter):
    """A message is one line, with what hides made visible; a traceback below it has
    lines of its own."""

    def formatMessage(self, record: logging.LogRecord) -> str:  # noqa: N802 - the name in logging
        return visible(super().formatMessage(record))

    def formatException(self, ei: object) -> str:  # noqa: N802 - the name in logging
        return "\n".join(visible(line) for line in super().formatException(ei).splitlines())  # type: ignore[arg-type]
