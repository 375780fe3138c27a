"""docs/client.md: its list of calls is that of the client, and its examples run."""

from __future__ import annotations

import asyncio
import re
from pathlib import Path
from typing import Any

import pytest

from hombi.client import reference
from tests.house import PASSWORD, Service, description, let_in

DOCUMENT = Path(__file__).parents[2] / "docs" / "client.md"
LAMP = {"switch": {"type": "boolean", "@type": "switch"}}


def test_it_has_every_call_as_the_client_describes_it() -> None:
    """`make reference` writes it."""
    document = DOCUMENT.read_text()
    assert reference.made(document) == document
    with pytest.raises(ValueError, match="no place for the calls"):
        reference.made("# A program\n")


def test_its_examples_run(service: Service, capsys: pytest.CaptureFixture[str]) -> None:
    let_in(service, description("Loft lamp", **LAMP))
    blocks = re.findall(r"```python\n(.*?)```", DOCUMENT.read_text(), re.DOTALL)
    # Each but the first goes on with a client, or a token, of one before.
    sign_in, token, errors, live = (
        block.replace("http://127.0.0.1:21460", service.url).replace('"…"', repr(PASSWORD))
        for block in blocks
    )
    names: dict[str, Any] = {}
    exec(sign_in, names)
    with names["Hub"](service.url) as hub:
        names["hub"] = hub
        exec(token, names)
    exec(errors, names)
    said = capsys.readouterr().out.split("\n")[1:]
    assert said[0].isdecimal(), "how many readings were committed"
    assert said[1] in ("asked", "confirmed", "unanswered", "unreachable") or "not now" in said[1]
    live, run, _ = live.partition("asyncio.run(follow())")
    assert run
    exec(live, names)
    with pytest.raises(TimeoutError):
        asyncio.run(asyncio.wait_for(names["follow"](), 1))
