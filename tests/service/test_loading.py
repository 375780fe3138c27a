"""The hub's own start, in a process that has loaded nothing before."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

LOADS = """
import sys
from hombi.service import run
import django
django.setup()
import hombi.service.urls, hombi.service.asgi
seldom = ("drf_spectacular.openapi", "drf_spectacular.utils", "hombi.client", "hombi.lab")
print([name for name in seldom if name in sys.modules])
from django.core.management import call_command
call_command("spectacular", "--format", "openapi-json", "--file", "{file}", "--fail-on-warn")
from hombi.service.api import description_views
from rest_framework.test import APIRequestFactory
asked, real = [], description_views.SchemaGenerator.get_schema
description_views.SchemaGenerator.get_schema = lambda *a, **k: asked.append(1) or real(*a, **k)
for form in ("json", "yaml", "json", "json", "yaml"):
    request = APIRequestFactory().get("/api/schema", {{"format": form}})
    assert description_views.schema(request).status_code == 200
print(len(asked))
"""


def test_the_api_is_described_when_somebody_asks_and_once(tmp_path: Path) -> None:
    file = tmp_path / "schema.json"
    environment = {
        **os.environ,
        "HOMBI_DATA": str(tmp_path),
        "DJANGO_SETTINGS_MODULE": "hombi.service.settings",
    }
    words = [sys.executable, "-c", LOADS.format(file=file)]
    said = subprocess.run(words, env=environment, stdout=subprocess.PIPE, check=True, timeout=120)
    assert said.stdout.decode().split("\n")[:2] == ["[]", "2"]
    paths = json.loads(file.read_text())["paths"]
    assert "/api/entities/{node}/{name}/history" in paths
