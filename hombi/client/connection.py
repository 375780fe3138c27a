"""What both clients do alike with a connection."""

from __future__ import annotations

import functools
import inspect
import re
import ssl
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from hombi.client.calls.base import Call
from hombi.client.errors import HubUnreachable

F = TypeVar("F", bound=Callable[..., Any])
TIMEOUT_S = 15.0
# The hub sends a sign of life every 15 s.
QUIET_S = 40.0
RETRY_S = 1.0


def body_of(call: Call[Any]) -> tuple[bytes | None, dict[str, str]]:
    """What a call sends, and the headers that go with it."""
    if call.body is None:
        return None, {}
    if isinstance(call.body, bytes):
        return call.body, {"Content-Type": "text/csv"}
    return msgspec.json.encode(call.body), {"Content-Type": "application/json"}


def signed(token: str | None) -> dict[str, str]:
    """The headers that say who is asking."""
    return {"Authorization": f"Bearer {token}"} if token else {}


def trusting(authority: str | Path | None) -> ssl.SSLContext:
    """What this machine trusts, and the house's authority where its file is given.
    Raises HubUnreachable for a file that is none."""
    context = ssl.create_default_context()
    if authority is not None:
        try:
            context.load_verify_locations(authority)
        except (OSError, ssl.SSLError) as error:
            raise HubUnreachable(f"{authority} is not a certificate ({error})") from error
    return context


_ANSWER = re.compile(r"Call\[(.*)\]|(?:Pages\[[^,]*, |News\[)(.*)\]")


def like(make: Callable[..., Any], answer: str = "") -> Callable[[F], F]:
    """Give a client's method the name, the text and the signature of the call that it
    makes; what it returns is the call's answer, unless another one is named."""

    def dress(method: F) -> F:
        functools.update_wrapper(method, make)
        signature = inspect.signature(make)
        client = inspect.Parameter("self", inspect.Parameter.POSITIONAL_ONLY)
        told = _ANSWER.fullmatch(str(signature.return_annotation))
        own = (told[1] or f"Iterator[{told[2]}]") if told else signature.return_annotation
        signature = signature.replace(
            parameters=[client, *signature.parameters.values()], return_annotation=answer or own
        )
        method.__signature__ = signature  # type: ignore[attr-defined]
        return method

    return dress
