"""The blocking client's connections. They stand on the standard library's HTTP: it is
loaded in a fifth of the time that a larger one takes, and a command line pays that time
with each command."""

from __future__ import annotations

import select
import ssl
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from http.client import HTTPConnection, HTTPException, HTTPResponse, HTTPSConnection
from pathlib import Path
from urllib.parse import urlencode, urlsplit

from hombi.client.calls.base import Param
from hombi.client.connection import trusting
from hombi.client.errors import HubUnreachable, unreachable, untrusted


class Line:
    """Connections to one hub, kept for the next call. Threads may share it: each call
    has a connection to itself."""

    def __init__(
        self,
        url: str,
        headers: Mapping[str, str],
        timeout_s: float,
        authority: str | Path | None = None,
    ) -> None:
        self._url, self._timeout_s, self._authority = url, timeout_s, authority
        self.headers = dict(headers)
        self._kept: list[HTTPConnection] = []

    def close(self) -> None:
        """Close the connections that wait for a call."""
        while self._kept:
            self._kept.pop().close()

    @contextmanager
    def ask(
        self,
        method: str,
        path: str,
        params: Mapping[str, Param],
        body: bytes | None = None,
        headers: Mapping[str, str] | None = None,
        quiet_s: float | None = None,
    ) -> Iterator[HTTPResponse]:
        """The answer to a request; the connection is kept when all of it has been read.
        `quiet_s` is how long the answer may pause. Raises HubUnreachable, also while it
        is read."""
        connection = self._connection()
        keep = False
        try:
            prefix = urlsplit(self._url).path
            target = f"{prefix}{path}{'?' if params else ''}{urlencode(params, doseq=True)}"
            connection.request(method, target, body, {**self.headers, **(headers or {})})
            if quiet_s is not None and connection.sock is not None:
                connection.sock.settimeout(quiet_s)
            response = connection.getresponse()
            yield response
        except ssl.SSLCertVerificationError as error:
            raise untrusted(self._url, error.verify_message) from error
        except (OSError, HTTPException) as error:
            raise unreachable(self._url, late=isinstance(error, TimeoutError)) from error
        else:
            keep = response.isclosed() and not response.will_close
        finally:
            if keep:
                self._kept.append(connection)
            else:
                connection.close()

    def _connection(self) -> HTTPConnection:
        while self._kept:
            connection = self._kept.pop()
            # The hub has nothing to say unasked: what can be read there is its end.
            if connection.sock and not select.select([connection.sock], [], [], 0)[0]:
                return connection
            connection.close()
        try:
            parts = urlsplit(self._url)
            host, port = parts.hostname, parts.port
        except ValueError:
            host, port = None, None
        if not host or parts.scheme not in ("http", "https"):
            raise HubUnreachable(
                f"{self._url} is not a hub's address; write it as http://name:port"
            )
        if parts.scheme == "http":
            return HTTPConnection(host, port, timeout=self._timeout_s)
        checked = trusting(self._authority)
        return HTTPSConnection(host, port, timeout=self._timeout_s, context=checked)
