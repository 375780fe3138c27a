"""How often something is usually heard, and for how long it may go unheard."""

from __future__ import annotations

SILENT_AFTER_INTERVALS = 3
SILENT_AT_LEAST_MS = 60_000
GAPS_TO_KNOW = 5


def learned(interval_ms: float, gaps: int, gap_ms: float) -> float:
    """The usual interval after one more distance between two readings, `gaps` of them
    known before.

    The longest of the latest distances: a door that is opened twice in a minute and
    then not for an hour is not silent. One long gap (the node was away) counts for no
    more than a silence, and is forgotten within thirty readings.
    """
    if gaps >= GAPS_TO_KNOW:
        gap_ms = min(gap_ms, patience(interval_ms))
    return max(gap_ms, 0.9 * interval_ms)


def patience(interval_ms: float) -> float:
    """How long what is usually heard so often may go unheard, in ms."""
    return max(SILENT_AT_LEAST_MS, SILENT_AFTER_INTERVALS * interval_ms)
