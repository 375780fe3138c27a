"""A hub with nodes for a benchmark, and the bare counterpart on a copy of its data."""

from __future__ import annotations

import contextlib
import json
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from tests.broker import PASSWORD, USER, Broker
from tests.conftest import make_service
from tests.house import Joined, Service, description, free_ports, let_in


@contextlib.contextmanager
def hub(**env: str) -> Iterator[Service]:
    """A hub with an owner with an empty house."""
    with tempfile.TemporaryDirectory() as folder:
        service = make_service(Path(folder) / "hub", **env).start()
        service.sign_in_first()
        try:
            yield service
        finally:
            service.stop()


def nodes(service: Service, count: int, entities: int) -> dict[str, Joined]:
    """`count` nodes with `entities` temperatures each."""
    properties: dict[str, Any] = {
        f"t{n}": {"type": "number", "unit": "Cel", "readOnly": True} for n in range(entities)
    }
    result = {}
    for number in range(count):
        joined = let_in(service, description(f"Node {number}", **properties))
        result[joined.node] = joined
    return result


def quick_nodes(
    service: Service, count: int, entities: int = 1, rooms: int = 0
) -> dict[str, Joined]:
    """`count` nodes with temperatures `t0`, `t1` …, added without asking to join: that
    is limited to what people need. With `rooms` they are spread over so many."""
    result = {}
    with service.hub() as hub:
        for number in range(count):
            room = f"Room {number % rooms}" if rooms else ""
            made = hub.nodes.add(f"Node {number}", room)
            for entity in range(entities):
                hub.nodes.add_entity(made.node, f"t{entity}", "temperature")
            result[made.node] = Joined(service, made.node, made.key, {})
    return result


def keys_file(service: Service, found: dict[str, Joined], entities: int) -> Path:
    """What the sender needs to know."""
    path = service.data / "keys.json"
    path.write_text(
        json.dumps(
            {
                n: {"key": j.key, "entities": [f"t{e}" for e in range(entities)]}
                for n, j in found.items()
            }
        )
    )
    return path


def broker_keys(service: Service, broker: Broker, root: str, names: list[str]) -> Path:
    """The same for clients of a broker, each with a topic under `root`."""
    path = service.data / "broker-keys.json"
    known = {
        n: {"key": PASSWORD, "user": USER, "topic": f"{root}/{n}/t", "entities": ["t"]}
        for n in names
    }
    path.write_text(json.dumps(known))
    return path


def load(port: int, seconds: float, window: int, keys: Path) -> tuple[int, float]:
    """(messages acknowledged, seconds until the last of them)."""
    words = [sys.executable, "-m", "bench.load", str(port), str(seconds), str(window), str(keys)]
    said = json.loads(subprocess.run(words, capture_output=True, text=True, check=True).stdout)
    return said["messages"], said["seconds"]


@contextlib.contextmanager
def air(*words: str) -> Iterator[Callable[[str], Any]]:
    """Radio nodes in a process of their own; yields a call that has them do something,
    and gives their answer."""
    with subprocess.Popen(
        [sys.executable, "-m", "bench.air", *words],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
    ) as process:
        assert process.stdin is not None
        assert process.stdout is not None
        tell, answers = process.stdin, process.stdout
        assert answers.readline() == "Ready\n"

        def do(what: str) -> Any:
            tell.write(what + "\n")
            tell.flush()
            return json.loads(answers.readline())

        try:
            yield do
        finally:
            tell.close()
            process.wait(10)


@contextlib.contextmanager
def bare(service: Service) -> Iterator[int]:
    """The bare counterpart on a copy of the hub's data; yields its port. The hub must
    be stopped."""
    copy = service.data.with_name("bare")
    shutil.rmtree(copy, ignore_errors=True)
    shutil.copytree(service.data, copy)
    (port,) = free_ports(1)
    process = subprocess.Popen(
        [sys.executable, "-m", "bench.bare", str(port)],
        env={**service.environment, "HOMBI_DATA": str(copy)},
        stdout=subprocess.PIPE,
        text=True,
    )
    assert process.stdout is not None
    assert process.stdout.readline() == "Ready\n"
    try:
        yield port
    finally:
        process.kill()
        process.wait()


@contextlib.contextmanager
def bare_subscriber(broker: Broker, topic: str) -> Iterator[Callable[[int], float]]:
    """The bare counterpart at a broker; yields a call that waits until so many messages
    were heard, and says when."""
    words = [sys.executable, "-m", "bench.subscriber", str(broker.port), USER, PASSWORD, topic]
    with subprocess.Popen(words, stdout=subprocess.PIPE, text=True) as process:
        assert process.stdout is not None
        lines = process.stdout
        assert lines.readline() == "Ready\n"

        def heard(count: int) -> float:
            for line in lines:
                number, at = line.split()
                if int(number) >= count:
                    return float(at)
            raise AssertionError(f"the broker dropped some of {count} messages")

        try:
            yield heard
        finally:
            process.terminate()
