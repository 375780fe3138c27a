"""The link in the documents, installed as a package beside Hombi; a node over it."""

from __future__ import annotations

import ast
import re
import socket
from pathlib import Path

from tests.conftest import make_service
from tests.house import free_ports, until

DOCUMENT = (Path(__file__).parents[2] / "docs" / "links.md").read_text()


def package(folder: Path) -> Path:
    """The package of docs/links.md, as an installer lays it out."""
    (code,) = re.findall(r"```python\n(.*?)```", DOCUMENT, re.DOTALL)
    about = next(
        one for one in re.findall(r"```toml\n(.*?)```", DOCUMENT, re.DOTALL) if "[pro" in one
    )
    (points,) = re.findall(r'^gauges = "(.*)"$', about, re.MULTILINE)
    (folder / "mill_gauges.py").write_text(code)
    info = folder / "mill_gauges-1.0.dist-info"
    info.mkdir()
    (info / "METADATA").write_text("Metadata-Version: 2.1\nName: mill-gauges\nVersion: 1.0\n")
    (info / "entry_points.txt").write_text(f"[hombi.links]\ngauges = {points}\n")
    return folder


def test_the_module_of_the_documents_is_wholly_typed() -> None:
    """As mypy asks for with --strict."""
    (code,) = re.findall(r"```python\n(.*?)```", DOCUMENT, re.DOTALL)
    functions = [
        one
        for one in ast.walk(ast.parse(code))
        if isinstance(one, ast.FunctionDef | ast.AsyncFunctionDef)
    ]
    assert len(functions) > 8
    for function in functions:
        assert function.returns is not None, function.name
        assert all(arg.annotation or arg.arg == "self" for arg in function.args.args), function.name


def test_the_link_of_the_documents_works_beside_those_that_ship(tmp_path: Path) -> None:
    site = tmp_path / "site"
    site.mkdir()
    udp, *_ = free_ports()
    service = make_service(
        tmp_path / "hub", PYTHONPATH=str(package(site)), HOMBI_GAUGES_PORT=str(udp)
    )
    service.start()
    try:
        service.sign_in_first()
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as gauge, service.hub() as hub:
            gauge.connect(("127.0.0.1", udp))
            gauge.send(b"g17 0.80")
            hub.pairing.open("1 min")
            assert hub.pairing.arrivals() == []
            gauge.send(b"g17 0.81")
            (arrival,) = until(hub.pairing.arrivals)
            assert (arrival.title, arrival.link) == ("Gauge g17", "gauges")
            hub.pairing.admit(arrival.id, room="Workshop", name="Mill race")
            gauge.send(b"g17 0.83")
            until(lambda: hub.entities.get("mill-race/level").shown == "0.83 m")
            gauge.send(b"g17 high")
            until(lambda: hub.nodes.get("mill-race").refused == 1)
            assert hub.nodes.get("mill-race").here
            assert f"gauges on UDP port {udp}" in service.hombi("doctor").stdout
        service.stop()
        service.start()
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as gauge, service.hub() as hub:
            gauge.connect(("127.0.0.1", udp))
            gauge.send(b"g17 0.9")
            until(lambda: hub.entities.get("mill-race/level").value == 0.9)
            hub.nodes.remove("mill-race")
        service.stop()
        (service.data / "hombi.toml").write_text("[gauges]\nport = 0\n")
        del service.env["HOMBI_GAUGES_PORT"]
        said = service.hombi("check", str(service.data / "hombi.toml"))
        assert "gauges.port is 0; expected a port number" in said.stderr
    finally:
        service.kill()
