"""Files that are kept for a while."""

from __future__ import annotations

import os
import time
from pathlib import Path

import pytest

from hombi.hub.notices.kept import KEPT_S, MOST_KEPT, Kept


def test_the_newest_are_kept_for_a_week(tmp_path: Path) -> None:
    folder, now = tmp_path / "pictures", time.time()
    kept = Kept(folder)
    assert kept.get("n0") is None

    def put(name: str, age_s: float) -> None:
        kept.put(name, name.encode(), now)
        os.utime(folder / name, (now - age_s, now - age_s))

    put("old", KEPT_S + 60)
    put("week", KEPT_S - 60)
    assert kept.get("old") is None, "gone when the next one came"
    assert kept.get("week") == b"week"
    assert folder.stat().st_mode & 0o777 == 0o700
    for number in range(MOST_KEPT + 5):
        put(f"n{number}", 1_000 - number)
    kept.put("n9", b"again", now)
    left = {one.name for one in folder.iterdir()}
    assert len(left) == MOST_KEPT
    assert kept.get("week") is None
    assert kept.get("n4") is None
    assert kept.get(f"n{MOST_KEPT + 4}") is not None
    assert kept.get("n9") == b"again"


def test_all_together_have_a_bound(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("hombi.hub.notices.kept.MOST_BYTES", 1_000)
    kept, now = Kept(tmp_path / "sounds"), time.time()
    for number in range(4):
        kept.put(f"n{number}", b"x" * 400, now)
        os.utime(tmp_path / "sounds" / f"n{number}", (now - 9 + number, now - 9 + number))
    assert [kept.get(f"n{number}") is not None for number in range(4)] == [False, False, True, True]
