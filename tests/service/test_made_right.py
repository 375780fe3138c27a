"""Values made right by command: conditioned, calibrated, and computed from others."""

from __future__ import annotations

import json
import math
import re
import time

import httpx
import pytest

from tests.house import Service, description, let_in, until
from tests.service.test_history import thing


def test_conditioning_by_command_over_the_past_and_back(own_service: Service) -> None:
    service = own_service.start()
    service.sign_in_first()
    rack = let_in(service, thing("temperature", "Cel"))
    now = round(time.time())
    pack = [{"n": "level", "t": now - 60 * n, "v": 20 + n % 3} for n in range(180, 0, -1)]
    assert rack.post(pack).is_success
    with service.hub() as hub:
        until(lambda: hub.entities.numbers("sluice/level").count == 180)
        before = [(r.at, r.value) for r in hub.entities.readings("sluice/level", 0)]
        assert hub.entities.numbers("sluice/level").high == 22
    shown = service.hombi("steps", "show", "Sluice level")
    assert "No steps" in shown.stdout
    assert "hombi steps try sluice/level 'despike window=" in shown.stdout
    tried = service.hombi("steps", "try", "sluice/level", 'low-pass time="10 min"')
    assert "with them" in tried.stdout
    flicker = re.search(r"next: ([\d.]+) without, ([\d.]+) with", tried.stdout)
    assert flicker is not None
    assert float(flicker[2]) < float(flicker[1]) / 5
    made = service.hombi("steps", "set", "sluice/level", "linear offset=-0.5", "--past")
    assert made.stdout == (
        "sluice/level is conditioned, over its whole past: linear offset=-0.5 gain=1.\n"
    )
    with service.hub() as hub:
        after = [(r.at, r.value) for r in hub.entities.readings("sluice/level", 0)]
        assert after == [(at, (value or 0) - 0.5) for at, value in before]
        assert hub.entities.numbers("sluice/level").high == 21.5, "its rollups too"
        assert hub.entities.get("sluice/level").value == after[-1][1]
    service.kill()
    service.start()
    assert rack.post([{"n": "level", "v": 30}]).is_success
    with service.hub() as hub:
        until(lambda: hub.entities.get("sluice/level").value == 29.5)
        assert hub.conditioning.show("sluice/level").words == ["linear offset=-0.5 gain=1"]
    gone = service.hombi("steps", "undo", "sluice/level", "--json")
    assert json.loads(gone.stdout)[0]["steps"] == []
    with service.hub() as hub:
        back = [(r.at, r.value) for r in hub.entities.readings("sluice/level", 0)]
        assert back[:-1] == before
        assert hub.entities.get("sluice/level").value == 30
    for words, said in (
        (("set", "sluice/level"), "Name the steps"),
        (("set", "sluice/level", "linear offset"), "as parameter=value"),
        (("set", "sluice/level", "linar offset=1"), "did you mean linear?"),
        (("set", "sluice/level", "median window='"), "quotation mark"),
        (("try", "sluice/level", "--span", "century"), "use hour, day, week, month"),
        (("undo", "sluice/level"), "nothing to undo"),
    ):
        refused = service.hombi("steps", *words)
        assert refused.returncode != 0
        assert said in refused.stderr, words


def test_a_derived_value_by_command_over_a_kill(own_service: Service) -> None:
    service = own_service.start()
    service.sign_in_first()
    air = {
        name: {"type": "number", "readOnly": True, "@type": name, "unit": unit}
        for name, unit in (("temperature", "Cel"), ("humidity", "%RH"))
    }
    rack = let_in(service, description("Sluice", **air))
    now = round(time.time())
    pack = [
        {"n": name, "t": now - 600 * n, "v": value}
        for n in range(30, 0, -1)
        for name, value in (("temperature", 20.0), ("humidity", 50.0))
    ]
    assert rack.post(pack).is_success
    words = ("dew-point", "sluice/temperature", "Sluice humidity", "--json")
    made = json.loads(service.hombi("compute", "add", *words).stdout)[0]
    address = made["entity"]
    with service.hub() as hub:
        until(lambda: hub.entities.numbers(address).count >= 30)
        assert hub.entities.numbers(address).median == pytest.approx(9.26, abs=0.02)
        service.kill()
    service.start()
    assert rack.post([{"n": "temperature", "v": 20}, {"n": "humidity", "v": 100}]).is_success
    with service.hub() as hub:
        until(lambda: hub.entities.get(address).value == pytest.approx(20.0))
        # What is computed is stored a moment after it is shown.
        assert until(lambda: b"20.0" in b"".join(hub.entities.export(address)))
    assert "dew-point of sluice/temperature, sluice/humidity" in (
        service.hombi("entity", "show", address).stdout
    )
    assert "surface-humidity" in service.hombi("compute", "methods").stdout
    refused = service.hombi("compute", "add", "dew-pont", "sluice/temperature", "sluice/humidity")
    assert (refused.returncode, "did you mean dew-point?" in refused.stderr) == (2, True)
    kept = service.hombi("node", "remove", "sluice", "--yes")
    assert (kept.returncode, "remove that first" in kept.stderr) == (1, True)
    assert service.hombi("entity", "remove", address, "--yes").returncode == 0
    assert service.hombi("node", "remove", "sluice", "--yes").returncode == 0


def test_calibrating_by_command(own_service: Service) -> None:
    service = own_service.start()
    service.sign_in_first()
    now = round(time.time())
    for title, wrong in (("Sluice", 0.6), ("Glass", 0.0), ("Wheel", -0.3)):
        value = {"type": "number", "readOnly": True, "@type": "temperature", "unit": "Cel"}
        node = let_in(service, description(title, level=value))
        pack = [
            {"n": "level", "t": now - 600 * n, "v": 20 + 3 * math.sin(n / 20) + wrong}
            for n in range(200, 0, -1)
        ]
        assert node.post(pack).is_success
    with service.hub() as hub:
        for node in ("sluice", "glass", "wheel"):
            until(lambda node=node: hub.entities.numbers(f"{node}/level", "week").count == 200)
    words = ("calibrate", "sluice/level", "Glass level")
    shown = service.hombi(*words).stdout
    assert "sluice/level beside glass/level in °C" in shown
    assert "offset -0.6 °C (-0.6 to -0.6), leaves" in shown
    assert "gain 1 (1 to 1)" in shown
    assert "--apply offset" in shown
    assert json.loads(service.hombi(*words, "--json").stdout)[0]["both"]["gain"] == pytest.approx(1)
    both = service.hombi(*words, "--also", "wheel/level").stdout
    assert [line for line in both.splitlines() if " beside " in line] == [
        "sluice/level beside glass/level in °C", "wheel/level beside glass/level in °C",
    ]  # fmt: skip
    applied = service.hombi(*words, "--apply", "offset", "--past")
    assert applied.stdout == (
        "sluice/level is conditioned, over its whole past: linear offset=-0.6 gain=1.\n"
    )
    again = service.hombi(*words).stdout
    assert "! the sensor does not differ from the reference by more than chance" in again
    readings = [
        ("--typed", f"{time.strftime('%Y-%m-%d %H:%M', time.gmtime(now - 3600 * n))}=25 °C")
        for n in range(20, 1, -2)
    ]
    typed = service.hombi("calibrate", "sluice/level", *(one for two in readings for one in two))
    assert "sluice/level beside values read off an instrument in °C" in typed.stdout
    assert "offset +" in typed.stdout
    assert "a gain needs 24 values, and 10 are there" in typed.stdout
    for wrong_words, said in (
        (("sluice/level",), "or give values with --typed"),
        (("sluice/level", "--typed", "yesterday"), "write it like '2026-11-27 10:00=21.4 °C'"),
        (("sluice/level", "--typed", "2026-11-27 10:00=warm"), "is not a number with a unit"),
        (("sluice/level", "glass/level", "--typed", "2026-11-27 10:00=21"), "not both"),
        (("sluice/level", "sluice/level"), "not with itself"),
        (("sluice/level", "glass/level", "--apply", "all"), "use offset, gain"),
        (("sluice/level", "glass/level", "--span", "year"), "use hour, day, week, month"),
        (("sluice/level", "glass/level", "--span", "hour", "--apply", "offset"), "not enough yet"),
    ):
        refused = service.hombi("calibrate", *wrong_words)
        assert refused.returncode != 0
        assert said in refused.stderr, wrong_words


ODD = [
    ("PUT", "conditioning", b'{"steps":[{"step":"linear","offset":1e400}]}', 400),
    ("PUT", "conditioning", b'{"steps":[{"step":"linear","offset":1e308}]}', 422),
    ("PUT", "conditioning", b'{"steps":[{"step":["x"]}]}', 400),
    ("PUT", "conditioning", b'{"steps":[{}]}', 422),
    ("PUT", "conditioning", b'{"steps":[{"step":"linear\xff"}]}', 400),
    ("PUT", "conditioning", b'{"steps":[{"step":"median","window":"%s d"}]}' % (b"9" * 400), 422),
    ("PUT", "conditioning", b'{"steps":[%s{}]}' % (b'{"step":"median"},' * 20_000), 413),
    ("PUT", "conditioning", b"[]", 400),
    ("PUT", "conditioning", b"", 400),
    ("POST", "conditioning/try", b'{"steps":[],"end":9223372036854775807}', 422),
    ("POST", "conditioning/try", b'{"steps":[],"start":99999999999999999999999}', 422),
    ("POST", "compare", b'{"reference":"sluice/other","start":0,"end":9223372036854775808}', 422),
    ("POST", "compare", b'{"reference":"sluice/other","start":-1,"end":5}', 422),
    ("POST", "calibration", b'{"reference":"sluice/level","start":0,"end":5}', 422),
    ("GET", "numbers?over=" + "9" * 400, b"", 422),
    ("GET", "export?start=99999999999999999999", b"", 422),
    ("GET", "export?format=%00", b"", 422),
]


def test_odd_bytes_are_refused_in_words_and_change_nothing(own_service: Service) -> None:
    service = own_service.start()
    service.sign_in_first()
    value = {"type": "number", "readOnly": True, "@type": "temperature", "unit": "Cel"}
    node = let_in(service, description("Sluice", level=value, other=value))
    assert node.post([{"n": "level", "v": 20.5}]).is_success
    signed = {"Authorization": f"Bearer {service.token}", "Content-Type": "application/json"}
    entity = f"{service.url}/api/entities/sluice/level"
    for method, path, body, status in ODD:
        answer = httpx.request(method, f"{entity}/{path}", content=body, headers=signed)
        assert answer.status_code == status, (path, body[:60], answer.text[:200])
        assert answer.json()["detail"], path
    for body in (
        b'{"method":"mean","sources":["sluice/level","sluice/other"],"title":"!!!"}',
        b'{"method":"mean","sources":[%s"x"]}' % (b'"sluice/level",' * 50),
    ):
        answer = httpx.post(f"{service.url}/api/computed", content=body, headers=signed)
        assert answer.status_code == 422, answer.text[:200]
    # A name is not written into a header as somebody wrote it.
    file = httpx.get(f"{service.url}/api/entities/SLUICE/Level/export", headers=signed)
    assert file.headers["Content-Disposition"] == 'attachment; filename="sluice-level.csv"'
    with service.hub() as hub:
        assert hub.conditioning.show("sluice/level").versions == []
        assert hub.entities.get("sluice/level").value == 20.5
        assert [one.entity for one in hub.entities.list()] == ["sluice/level", "sluice/other"]
