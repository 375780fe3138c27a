"""Backups, on the wire."""

from __future__ import annotations

from typing import Annotated

from hombi.wire.base import Ask, Meta


class BackupRequest(Ask, frozen=True, kw_only=True):
    """What the backup is sealed with; nothing: not sealed."""

    verbatim = frozenset({"passphrase"})
    passphrase: Annotated[str, Meta(max_length=500)] = ""
