"""Whatever the API's own description allows, and much that it does not: no answer is an
error of the hub's."""

from __future__ import annotations

import os
import re
import subprocess
import sys
from pathlib import Path

import httpx
import yaml

from tests.house import CLIMATE, PLUG, Joined, Service, ask, description


def test_programs_and_people_read_the_same_description(service: Service) -> None:
    plain = httpx.get(f"{service.url}/api/schema")
    for_programs = httpx.get(f"{service.url}/api/schema", params={"format": "json"})
    assert plain.headers["content-type"] == "application/vnd.oai.openapi; charset=utf-8"
    assert for_programs.headers["content-type"] == "application/vnd.oai.openapi+json"
    described = for_programs.json()
    assert yaml.load(plain.text, yaml.CSafeLoader) == described
    history = described["paths"]["/api/entities/{node}/{name}/history"]["get"]
    assert {"in": "query", "name": "points", "schema": {"type": "integer", "default": 600}} in (
        history["parameters"]
    )
    assert set(described["components"]["securitySchemes"]) == {
        "cookieAuth", "nodeKey", "nodeToken", "token"
    }  # fmt: skip
    for path in ("schema", "docs"):
        refused = httpx.post(f"{service.url}/api/{path}")
        assert (refused.status_code, refused.json()["status"]) == (405, 405)
    unknown = httpx.get(f"{service.url}/api/schema", headers={"Accept": "image/png"})
    assert (unknown.status_code, unknown.json()["status"]) == (406, 406)
    page = httpx.get(f"{service.url}/api/docs").text
    assert "swagger" in page
    files = set(re.findall(r"/static/drf_spectacular_sidecar/[^\"']+", page))
    assert len(files) >= 2
    assert all(len(httpx.get(service.url + file).content) > 500 for file in files)
    assert not any("Warning" in line for line in service.said)


def test_no_call_that_a_generator_thinks_of_ends_in_a_server_error(
    service: Service, rack: Joined, mister: Joined, tmp_path: Path
) -> None:
    rack.post([{"n": "humidity", "v": 84.5}])
    with service.hub() as hub:
        hub.pairing.open("1 min")
        ask(service, description("Loft beam", **CLIMATE, **PLUG))
        hub.mqtt_accounts.add("bench", ["bench/#"])
        hub.automations.add(
            'name = "Dry"\n[watch]\nentity = "cellar-rack/humidity"\nunder = "20 %"\n'
            '[[starts]]\nswitch = "cellar-mister/switch"\nto = "on"\n'
        )
    program = Path(sys.executable).with_name("schemathesis")
    done = subprocess.run(
        [
            str(program), "run", f"{service.url}/api/schema?format=json", "-H",
            f"Authorization: Bearer {service.token}",
            "--checks", "not_a_server_error,response_schema_conformance",
            "--phases", "fuzzing", "--max-examples", "3", "--workers", "2",
            "--seed", os.environ.get("SEED", "7"),  # the same in every run
            "--exclude-path-regex", "live$", "--suppress-health-check", "all", "--no-color",
        ],
        cwd=tmp_path, capture_output=True, text=True, timeout=300, check=False,
    )  # fmt: skip
    failures = done.stdout.partition("FAILURES")[2][:4000]
    assert done.returncode == 0, failures or done.stdout[-4000:]
    generated = re.search(r"(\d+) generated, (\d+) passed", done.stdout)
    assert generated is not None, done.stdout[-2000:]
    assert int(generated[1]) == int(generated[2]) > 150
    with service.hub() as hub:
        assert {c.part for c in hub.doctor() if c.state == "fault"} <= {"event loop"}, (
            "and the hub is as well as before"
        )
