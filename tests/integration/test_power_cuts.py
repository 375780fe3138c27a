"""The power goes while readings come in. The hub's data lies on a file system in an
image; what the image holds at a moment is what a memory card would hold then."""

from __future__ import annotations

import contextlib
import os
import random
import shutil
import signal
import subprocess
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.conftest import make_service
from tests.house import Service, description, let_in, until
from tests.integration.test_nothing_lost import DoorSender, PostSender, stored

# `make soak` has two hundred.
CUTS = int(os.environ.get("CUTS", "3"))


@contextlib.contextmanager
def mounted(image: Path, at: Path) -> Iterator[Path]:
    at.mkdir(exist_ok=True)
    # Its own journal is written when somebody asks for it, and not by itself meanwhile.
    subprocess.run(["mount", "-o", "loop,commit=600", image, at], check=True)
    try:
        yield at
    finally:
        subprocess.run(["umount", "--lazy", at], check=True)


@pytest.fixture
def card(tmp_path: Path) -> Iterator[tuple[Path, Path]]:
    """A memory card: its image, and where it is mounted."""
    image = tmp_path / "card.image"
    with image.open("wb") as file:
        file.truncate(96 << 20)
    try:
        subprocess.run(["mkfs.ext4", "-q", "-F", image], check=True, capture_output=True)
        subprocess.run(["mount", "-o", "loop", image, tmp_path], check=True, capture_output=True)
        subprocess.run(["umount", tmp_path], check=True)
    except (OSError, subprocess.CalledProcessError) as error:
        pytest.skip(f"this machine mounts no images: {error}")
    with mounted(image, tmp_path / "card") as at:
        yield image, at


def cut(service: Service, image: Path, to: Path) -> None:
    """What the card holds at this moment. The hub stands still for it, in none of its
    calls, so that the copy is of one moment; what it has not asked the disk for is not
    in it."""
    assert service.process is not None
    threads = Path(f"/proc/{service.process.pid}/task")
    service.process.send_signal(signal.SIGSTOP)
    try:
        until(lambda: all(_stands(one) for one in threads.iterdir()))
        subprocess.run(["cp", "--sparse=always", image, to], check=True)
    finally:
        service.process.send_signal(signal.SIGCONT)


def _stands(thread: Path) -> bool:
    return (thread / "stat").read_text().rpartition(")")[2].split()[0] == "T"


def test_power_cuts_lose_nothing_that_was_acknowledged(
    card: tuple[Path, Path], tmp_path: Path, empty_database: Path
) -> None:
    image, at = card
    data = at / "hub"
    data.mkdir()
    shutil.copy(empty_database, data)
    os.sync()  # SQLite syncs what it writes, and it did not write this
    service = make_service(data).start()
    chance = random.Random(CUTS)
    try:
        service.sign_in_first()
        count = {"count": {"type": "number", "readOnly": True}}
        nodes = [let_in(service, description(name, **count)) for name in ("Knocker", "Poster")]
        start_s = round(time.time()) - 200_000
        senders = [DoorSender(nodes[0], start_s, 0, pace_s=0.003), PostSender(nodes[1], start_s, 0)]
        for sender in senders:
            sender.start()
        until(lambda: all(len(sender.acknowledged) > 20 for sender in senders), 30)
        for number in range(CUTS):
            time.sleep(chance.random())
            promised = [sender.acknowledged.copy() for sender in senders]
            cut(service, image, tmp_path / "cut.image")
            with mounted(tmp_path / "cut.image", tmp_path / "cut") as left:
                after = make_service(left / "hub").start()
                try:
                    for name, safe in zip(("knocker", "poster"), promised, strict=True):
                        there = stored(after, f"{name}/count", start_s)
                        lost = sorted(safe - there)[:10]
                        assert not lost, f"cut {number}: {name} lost {lost} before {max(there)}"
                finally:
                    after.kill()
    finally:
        service.kill()
