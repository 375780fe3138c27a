"""Pages of tiles, and the pictures of cameras that cannot be trusted."""

from __future__ import annotations

import contextlib
import json
import socket
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import pytest

from hombi.client import HubProblem, Missing, Wrong
from hombi.wire.dashboards import TileRequest
from tests.cameras import camera, says
from tests.house import CLIMATE, Service, call, description, let_in, until

PNG = b"\x89PNG\r\n\x1a\n" + b"\0" * 40


@pytest.fixture(scope="module")
def mill(service: Service) -> Service:
    let_in(service, description("Cellar rack", **CLIMATE))
    let_in(service, description("Loft beam", **CLIMATE), "Loft")
    return service


RACK, BEAM = "cellar-rack/humidity", "loft-beam/humidity"


def test_a_room_is_arranged_and_comes_by_itself_again(mill: Service) -> None:
    with mill.hub() as hub:
        assert hub.dashboards.list() == []
        tiles = [
            TileRequest(sort="value", of=["Cellar rack humidity"], size="wide"),
            TileRequest(sort="compare", of=[RACK, BEAM], size="large"),
            TileRequest(sort="text", text="  Turn the wheels.\nEvery Monday. "),
        ]
        made = hub.dashboards.arrange("room-cheese-cellar", tiles)
        assert (made.dashboard, made.title, made.room) == (
            "room-cheese-cellar", "Cheese cellar", "cheese-cellar",
        )  # fmt: skip
        assert made.tiles[0].of == [RACK], "a name became its address"
        assert made.tiles[2].text == "Turn the wheels.\nEvery Monday."
        until(lambda: list(hub.journal(event="DashboardArranged")))
    mill.kill()
    mill.start()
    with mill.hub() as hub:
        assert hub.dashboards.get("room-cheese-cellar") == made
        hub.dashboards.remove("room-cheese-cellar")
        assert hub.dashboards.list() == []
        said = [entry.text for entry in hub.journal()]
        assert "the page Cheese cellar was arranged" in " ".join(said)


def test_own_dashboards_and_what_they_show_may_go(mill: Service) -> None:
    with mill.hub() as hub:
        made = hub.dashboards.add("Evening round", [TileRequest(sort="value", of=[BEAM])])
        assert (made.dashboard, made.room) == ("evening-round", None)
        with pytest.raises(Wrong, match="choose another name"):
            hub.dashboards.add("Evening, round!")
        with pytest.raises(Wrong, match="choose another name"):
            hub.dashboards.add("Room loft")
        with pytest.raises(Missing, match="no dashboard"):
            hub.dashboards.get("Evening round")
        with ThreadPoolExecutor(4) as at_once:
            racing = [at_once.submit(hub.dashboards.add, "At once") for _ in range(4)]
        assert sum(one.exception() is None for one in racing) == 1
        hub.dashboards.remove("at-once")
        gone = let_in(mill, description("Wheel", **CLIMATE), "Workshop")
        both = [*made.tiles, TileRequest(sort="curve", of=["wheel/temperature"])]
        asked = [TileRequest(sort=t.sort, of=t.of, size="tall") for t in both]
        hub.dashboards.arrange("evening-round", asked)
        hub.nodes.remove(gone.node)
        # What is gone stays where it was put, until somebody takes it off.
        kept = hub.dashboards.arrange("evening-round", asked, title="Late round")
        assert (kept.title, kept.tiles[1].of) == ("Late round", ["wheel/temperature"])
        with pytest.raises(Missing):
            hub.dashboards.add("Other", [asked[1]])
        hub.dashboards.remove("evening-round")
        with pytest.raises(Missing, match="no dashboard"):
            hub.dashboards.get("evening-round")
        hub.rooms.add("Cold store")
        hub.dashboards.arrange("room-cold-store", [TileRequest(sort="text", text="x")])
        hub.rooms.rename("cold-store", "Ice house")
        assert [one.title for one in hub.dashboards.list()] == ["Ice house"]
        hub.rooms.remove("cold-store")
        assert hub.dashboards.list() == [], "it goes with its room"
        hub.rooms.add("Cold store")
        assert hub.dashboards.list() == [], "one of the same name begins anew"


def test_a_page_as_a_file(mill: Service, tmp_path: Path) -> None:
    file = tmp_path / "round.json"
    with mill.hub() as hub:
        tiles = [
            TileRequest(sort="values", of=[RACK, BEAM], size="wide"),
            TileRequest(sort="text", text="Turn the [wheels]."),
        ]
        hub.dashboards.add("Round", tiles)
    shown = mill.hombi("dashboard", "show", "round").stdout
    assert "Cellar rack humidity nothing yet" in shown
    assert "Turn the [wheels]." in shown
    file.write_text(mill.hombi("dashboard", "show", "round", "--json").stdout)
    for page in ("late-round", "room-loft", "round"):
        put = mill.hombi("dashboard", "put", page, str(file), "--name", "Late one")
        assert put.stdout == f"{page} has 2 tiles now\n", put.stderr
    listed = json.loads(mill.hombi("dashboard", "list", "--json").stdout)
    assert [(one["dashboard"], one["title"]) for one in listed] == [
        ("late-round", "Late one"), ("round", "Late one"), ("room-loft", "Loft"),
    ]  # fmt: skip
    assert listed[0]["tiles"] == listed[1]["tiles"] == listed[2]["tiles"]
    for text, said in (
        ("{}", "holds no page"),
        ("[", "holds no page"),
        ('[{"tiles":[]},{"tiles":[]}]', "holds 2 pages"),
        ('{"tiles":[{"sort":"value","of":["cellar-rack/x"]}]}', "no entity"),
    ):
        file.write_text(text)
        refused = mill.hombi("dashboard", "put", "round", str(file))
        assert (refused.returncode != 0, said in refused.stderr) == (True, True), refused.stderr
    for page in ("late-round", "room-loft", "round"):
        assert mill.hombi("dashboard", "remove", page).stdout == f"{page} is removed.\n"


@pytest.mark.parametrize(
    ("tile", "said"),
    [
        ({"sort": "value"}, "shows 1 values, not 0"),
        ({"sort": "compare", "of": [RACK]}, "shows 2 to 8 values, not 1"),
        ({"sort": "text"}, "has no text"),
        ({"sort": "text", "text": "x" * 501}, "500"),
        ({"sort": "radio"}, "sort"),
        ({"sort": "value", "of": [RACK], "size": "huge"}, "size"),
        ({"sort": "value", "of": ["cellar-rack/humidty"]}, "did you mean"),
        ({"sort": "picture"}, "write its address like http://"),
        ({"sort": "picture", "address": "file:///etc/passwd"}, "write its address like http://"),
        ({"sort": "picture", "address": "http://[::1"}, "is not an address"),
        ({"sort": "picture", "address": "http://8.8.8.8/a.jpg"}, "8.8.8.8 is not in the house"),
        ({"sort": "text", "text": "x", "address": "http://127.0.0.1"}, "only a picture has one"),
    ],
)  # fmt: skip
def test_a_tile_that_cannot_be_is_refused(mill: Service, tile: object, said: str) -> None:
    result = call(mill, "PUT", "/api/dashboards/room-loft", json={"tiles": [tile]})
    assert result.status_code in (400, 404, 422), result.text
    assert said in result.text


def test_the_picture_of_a_camera_comes_through_the_hub(mill: Service) -> None:
    with camera(says("200 OK", "Content-Type: text/html", PNG)) as address, mill.hub() as hub:
        tile = TileRequest(sort="picture", of=[RACK], text="Cellar", address=address)
        hub.dashboards.add("Cameras", [tile])
        result = call(mill, "GET", "/api/dashboards/cameras/pictures/0")
        assert (result.status_code, result.headers["content-type"]) == (200, "image/png")
        assert result.content == PNG
        assert result.headers["x-content-type-options"] == "nosniff"
        assert call(mill, "GET", "/api/dashboards/cameras/pictures/1").status_code == 404
        hub.dashboards.remove("cameras")


def drips(one: socket.socket) -> None:
    one.sendall(b"HTTP/1.1 200 OK\r\n\r\n" + PNG)
    with contextlib.suppress(OSError):
        for _ in range(60):
            one.sendall(b"\0")
            time.sleep(0.3)


def talks_on(one: socket.socket) -> None:
    one.sendall(b"HTTP/1.1 200 OK\r\n")
    with contextlib.suppress(OSError):
        for number in range(60):
            one.sendall(b"X-%d: a picture will come\r\n" % number)
            time.sleep(0.3)


def floods(one: socket.socket) -> None:
    one.sendall(b"HTTP/1.1 200 OK\r\n\r\n")
    with contextlib.suppress(OSError):
        for _ in range(200):
            one.sendall(PNG + b"\0" * 65_536)


def test_many_pictures_at_once_are_fetched_a_few_at_a_time(mill: Service) -> None:
    """Each may hold 6 MB of the hub's memory."""
    under_way, most, count = 0, 0, threading.Lock()

    class Camera(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            nonlocal under_way, most
            with count:
                under_way += 1
                most = max(most, under_way)
            time.sleep(0.2)
            self.send_response(200)
            self.end_headers()
            self.wfile.write(PNG + bytes(4_000_000))
            with count:
                under_way -= 1

        def log_message(self, format: str, *args: object) -> None:
            pass

    with ThreadingHTTPServer(("127.0.0.1", 0), Camera) as server, mill.hub() as hub:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        address = f"http://127.0.0.1:{server.server_port}/snapshot.jpg"
        hub.dashboards.add("Cameras", [TileRequest(sort="picture", of=[RACK], address=address)])

        def status(_: int) -> int:
            where = "/api/dashboards/cameras/pictures/0"
            return call(mill, "GET", where, timeout=60).status_code

        with ThreadPoolExecutor(16) as pool:
            assert set(pool.map(status, range(16))) == {200}
        assert 1 < most <= 4
        hub.dashboards.remove("cameras")
        server.shutdown()


@pytest.mark.parametrize(
    ("answer", "said"),
    [
        (says("200 OK", "Content-Type: image/png", b"<script>x()</script>"), "is not a picture"),
        (says("200 OK", "Content-Type: image/svg+xml", b"<svg onload='x'/>"), "is not a picture"),
        (says("302 Found", "Location: http://192.0.2.1/", b""), "answered 302"),
        (says("401 No", "", b""), "answered 401"),
        (lambda one: one.sendall(b"\x16\x03\x01 nonsense\r\n\r\n"), "cannot be reached"),
        (lambda _: None, "cannot be reached"),
        (says("200 OK", "Content-Length: 9000", PNG), "cannot be reached"),
        (drips, "did not come within 8 s"),
        (talks_on, "did not come within 8 s"),
        (floods, "larger than 6 MB"),
    ],
)  # fmt: skip
def test_a_camera_that_lies_or_hangs_is_said_and_holds_nothing_up(
    mill: Service, answer: Callable[[socket.socket], None], said: str
) -> None:
    with camera(answer) as address, mill.hub() as hub:
        hub.dashboards.add("Cameras", [TileRequest(sort="picture", address=address)])
        try:
            begun = time.monotonic()
            with ThreadPoolExecutor(1) as beside:
                asked = beside.submit(
                    call, mill, "GET", "/api/dashboards/cameras/pictures/0", timeout=30
                )
                while not asked.done():
                    assert call(mill, "GET", "/api/health", timeout=2).is_success
                    time.sleep(0.1)
            result = asked.result()
            assert time.monotonic() - begun < 12
            assert (result.status_code, said in result.text) == (409, True), result.text
        finally:
            hub.dashboards.remove("cameras")


def test_a_page_has_an_end_and_a_stranger_sees_none(mill: Service) -> None:
    many = [{"sort": "text", "text": "x"}] * 81
    assert (
        "80 tiles at most"
        in call(mill, "PUT", "/api/dashboards/room-loft", json={"tiles": many}).text
    )
    with mill.hub() as hub, pytest.raises(HubProblem, match="no room"):
        hub.dashboards.arrange("room-nowhere", [])
    import httpx

    assert httpx.get(mill.url + "/api/dashboards").status_code == 401
    assert httpx.get(mill.url + "/api/dashboards/x/pictures/0").status_code == 401
