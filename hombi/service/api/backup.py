"""A backup of the whole house, made while the hub runs."""

from __future__ import annotations

import asyncio
import secrets
from collections.abc import AsyncIterator
from typing import IO

from django.http import StreamingHttpResponse
from django.http.response import HttpResponseBase
from rest_framework.request import Request

from hombi.hub.backup.feature import MakeBackup
from hombi.service.api.parsing import body
from hombi.service.api.schema import operation
from hombi.service.api.views import View, actor
from hombi.service.bridge import change, hub
from hombi.wire.backup import BackupRequest

PIECE = 256 * 1024


class BackupView(View):
    """A backup for who takes it away."""

    @operation(name="backup_make", takes=BackupRequest)
    def post(self, request: Request) -> HttpResponseBase:
        """Make one, prove it by opening it, and send it. Whoever has the file has the
        house with its keys, unless a passphrase seals it."""
        payload = body(request, BackupRequest)
        path = hub().config.data / "backups" / f".{secrets.token_hex(8)}.backup"
        made = change(actor(request), MakeBackup(path, payload.passphrase), lambda _, m: m)
        file = path.open("rb")
        # It is gone once it was sent, or once nobody reads on.
        path.unlink()
        answer = StreamingHttpResponse(_pieces(file), content_type="application/octet-stream")
        answer["Content-Length"] = str(made.size)
        answer["Content-Encoding"] = "identity"
        answer["Cache-Control"] = "no-store"
        answer["Content-Disposition"] = 'attachment; filename="hombi.backup"'
        return answer


async def _pieces(file: IO[bytes]) -> AsyncIterator[bytes]:
    with file:
        while piece := await asyncio.to_thread(file.read, PIECE):
            yield piece
