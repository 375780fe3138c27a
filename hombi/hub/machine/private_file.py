"""Files for the hub's own user alone."""

from __future__ import annotations

import os
from pathlib import Path


def write_private(path: Path, content: bytes) -> None:
    """Write a file that only the hub's own user may read, from its first byte on; it is
    there whole, or as it was. Raises OSError."""
    fresh = path.with_name(f".{path.name}.{os.getpid()}")
    fresh.unlink(missing_ok=True)
    with os.fdopen(os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
        file.write(content)
        file.flush()
        os.fsync(file.fileno())
    fresh.rename(path)
