"""Which hub a command speaks to: the one that runs, a person's own before a demo's."""

from __future__ import annotations

import fcntl
import json
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from hombi.cli.where import DEFAULT_PORT, data_folder, demo_folder, find_hub


@pytest.fixture(autouse=True)
def nobody(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("HOMBI_DATA", "HOMBI_PORT"):
        monkeypatch.delenv(name, raising=False)
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))


@contextmanager
def hub(folder: Path, port: int, token: str, *, runs: bool = True) -> Iterator[None]:
    """A hub's files, as it leaves them or holds them."""
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "hub.token").write_text(
        json.dumps({"url": f"http://127.0.0.1:{port}", "token": token})
    )
    with (folder / "hub.lock").open("a+") as lock:
        if runs:
            fcntl.flock(lock, fcntl.LOCK_EX)
        yield


def test_the_demo_has_a_folder_of_its_own() -> None:
    assert demo_folder(DEFAULT_PORT) == data_folder().with_name("hombi-demo")
    assert demo_folder(4700) == data_folder().with_name("hombi-demo-4700")


def test_the_hub_that_runs_is_found(monkeypatch: pytest.MonkeyPatch) -> None:
    assert find_hub().token is None
    with hub(data_folder(), 21460, "own", runs=False):
        assert find_hub().token == "own", (
            "nothing else runs: the error that it gives names its address"
        )
        with hub(demo_folder(21460), 21460, "demo"):
            assert find_hub().token == "demo"
            with hub(data_folder(), 21460, "own"):
                assert find_hub().token == "own"
    with hub(data_folder(), 21460, "own"), hub(demo_folder(4700), 4700, "second"):
        monkeypatch.setenv("HOMBI_PORT", "4700")
        assert (find_hub().token, find_hub().url) == ("second", "http://127.0.0.1:4700")
    with hub(demo_folder(21460), 21460, "demo"):
        monkeypatch.setenv("HOMBI_DATA", str(data_folder()))
        assert find_hub().token == "own", "a folder that is named is the one that is meant"
