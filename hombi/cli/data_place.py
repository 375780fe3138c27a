"""Where this machine's hub keeps its data."""

from __future__ import annotations

import os
from pathlib import Path


def data_folder() -> Path:
    """HOMBI_DATA, or `hombi` in the user's data folder (XDG base directories)."""
    given = os.environ.get("HOMBI_DATA")
    if given:
        return Path(given).expanduser().absolute()
    base = os.environ.get("XDG_DATA_HOME") or "~/.local/share"
    return Path(base).expanduser() / "hombi"
