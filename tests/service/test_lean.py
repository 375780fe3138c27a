"""The hub's own start, in a process that has loaded nothing before."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

LOADS = """
import sys
DESCRIBING = ("drf_spectacular.openapi", "drf_spectacular.utils", "yaml")
from hombi.service.lean import ABSENT, LATER, lean
with lean():
    from hombi.service import run
    import django
    django.setup()
    import hombi.service.urls, hombi.service.asgi
kept = set(sys.modules)
from django.core.management import call_command
call_command("spectacular", "--format", "openapi-json", "--file", "{file}", "--fail-on-warn")
import httpx._main, uvicorn.supervisors
from django.db import connection
from hombi.service.api.trust import drawn
assert connection.ops.prepare_sql_script("select 1; select 2") == ["select 1;", "select 2"]
from django.contrib.auth.middleware import redirect_to_login
assert redirect_to_login("/rooms").status_code == 302
assert drawn("http://heron.local").startswith("<svg")
unused = (*ABSENT, *LATER, *DESCRIBING, "unittest", "rich", "hombi.client")
print([name for name in unused if name in kept])
print([name for name in (*LATER, *DESCRIBING, "rich") if name not in sys.modules])
from hombi.service.api import description_views
from rest_framework.test import APIRequestFactory
asked, real = [], description_views.Generator.get_schema
description_views.Generator.get_schema = lambda *a, **k: asked.append(1) or real(*a, **k)
for form in ("json", "yaml", "json", "json", "yaml"):
    request = APIRequestFactory().get("/api/schema", {{"format": form}})
    assert description_views.schema(request).status_code == 200
print(len(asked))
"""


def test_the_hub_loads_nothing_that_it_does_not_use_and_can_load_it_later(tmp_path: Path) -> None:
    file = tmp_path / "schema.json"
    environment = {
        **os.environ,
        "HOMBI_DATA": str(tmp_path),
        "DJANGO_SETTINGS_MODULE": "hombi.service.settings",
    }
    words = [sys.executable, "-c", LOADS.format(file=file)]
    said = subprocess.run(words, env=environment, stdout=subprocess.PIPE, check=True, timeout=120)
    assert said.stdout.decode().split("\n")[:3] == ["[]", "[]", "2"]
    paths = json.loads(file.read_text())["paths"]
    assert "/api/entities/{node}/{name}/history" in paths
