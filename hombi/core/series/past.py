"""Whose past somebody looks at."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from hombi.core.arithmetic import LINE, Arithmetic


class Past(msgspec.Struct, frozen=True):
    """Whose past is meant: an entity, by its number, the numbers of those of its
    channels whose readings count, and how its values are calculated with."""

    entity: int
    channels: Sequence[int]
    arithmetic: Arithmetic = LINE
