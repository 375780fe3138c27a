"""`python -m hombi.client.reference FILE`: write the calls of the client into the
document, as their signatures and docstrings describe them."""

from __future__ import annotations

import inspect
import re
import sys
from pathlib import Path
from typing import Any

from hombi.client.groups import Client, Group
from hombi.client.hub import Hub

BEGIN, END = "<!-- calls: made from the client -->\n", "<!-- end of calls -->\n"


def calls() -> str:
    """A table for each group of calls, and one for those of the house."""
    with Hub("http://127.0.0.1:1") as hub:
        groups: list[tuple[str, Any]] = [("hub", hub)]
        groups += [(f"hub.{name}", g) for name, g in vars(hub).items() if isinstance(g, Group)]
    tables = []
    for name, group in groups:
        kind = Client if group is groups[0][1] else type(group)
        about = "The house, and the sign-in." if kind is Client else inspect.getdoc(kind)
        rows = [_row(name, word, getattr(kind, word)) for word in _words(kind)]
        head = f"### `{name}`\n\n{about}\n\n| Call | Gives | What it does |\n|---|---|---|\n"
        tables.append(head + "".join(rows))
    return "\n".join(tables)


def made(text: str) -> str:
    """The document with its calls as they are now. Raises ValueError where it has no
    place for them."""
    head, begin, rest = text.partition(BEGIN)
    _, end, tail = rest.partition(END)
    if not begin or not end:
        raise ValueError("the document has no place for the calls")
    return f"{head}{begin}\n{calls()}\n{end}{tail}"


def _words(kind: type) -> list[str]:
    return [word for word, call in vars(kind).items() if callable(call) and word[0] != "_"]


def _row(group: str, word: str, call: Any) -> str:
    signature = inspect.signature(call)
    given = [p.replace(annotation=p.empty) for p in signature.parameters.values()][1:]
    shown = str(inspect.Signature(given)).replace("(/, ", "(").replace("(/)", "()")
    does = " ".join((inspect.getdoc(call) or "").split())
    cells = (f"`{group}.{word}{shown}`", f"`{signature.return_annotation}`", does)
    return "| " + " | ".join(re.sub(r"\|", r"\\|", cell) for cell in cells) + " |\n"


if __name__ == "__main__":
    document = Path(sys.argv[1])
    document.write_text(made(document.read_text()))
