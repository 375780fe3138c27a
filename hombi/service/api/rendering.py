"""Writing answers as JSON."""

from __future__ import annotations

from typing import Any

import msgspec
from rest_framework.renderers import BaseRenderer


class WireJson(BaseRenderer):
    """`application/json`, of shapes and plain data."""

    media_type = "application/json"
    format = "json"
    charset = None

    def render(
        self,
        data: Any,
        accepted_media_type: str | None = None,
        renderer_context: Any = None,
    ) -> bytes:
        return b"" if data is None else msgspec.json.encode(data)
