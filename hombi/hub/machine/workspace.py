"""Folders beside the house for what is being made: on its disk, and for its own user
alone."""

from __future__ import annotations

import contextlib
import shutil
import tempfile
from collections.abc import Iterator, Sequence
from pathlib import Path

_PREFIX = ".making-"


@contextlib.contextmanager
def workspace(data: Path, what: str) -> Iterator[Path]:
    """A folder to make something in; it goes with everything in it. Raises OSError."""
    with tempfile.TemporaryDirectory(prefix=f"{_PREFIX}{what}-", dir=data) as folder:
        yield Path(folder)


def left_over(data: Path, what: str = "*") -> Sequence[Path]:
    """The folders of those who were stopped before they were done."""
    return sorted(data.glob(f"{_PREFIX}{what}-*"))


def tidy(data: Path) -> None:
    """Remove them. Nobody may be at work in the data folder."""
    for folder in left_over(data):
        shutil.rmtree(folder, ignore_errors=True)
