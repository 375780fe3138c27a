"""`python -m hombi.core.automation.reference FILE`: write the tables of comparisons and
actions into the document, as the words describe themselves."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Iterator
from itertools import groupby
from pathlib import Path

from hombi.core.automation.actions import ACTIONS
from hombi.core.automation.comparisons import COMPARISONS

BEGIN, END = "<!-- {0}: made from the words -->\n", "<!-- end of {0} -->\n"


def comparisons() -> str:
    """The table of comparisons; those that are described alike share a row."""
    rows = []
    for so_while, some in groupby(COMPARISONS.values(), key=lambda each: each.so_while):
        written = ", ".join(_written(each.word, each.examples) for each in some)
        rows.append((written, so_while))
    return _table(("Key", "So while the value is"), rows)


def actions() -> str:
    """The table of actions, each with the other keys of its table."""
    rows = []
    for word, action in ACTIONS.items():
        own = action.keys[word]
        written = _written(word, tuple(own.get("examples", ())), _FORMS[own["type"]])
        others = ", ".join(f"`{key}`" for key in action.keys if key != word)
        rows.append((written, others, action.does))
    return _table(("Action", "Beside it", "What it does"), rows)


def made(text: str) -> str:
    """The document with its tables as they are now. Raises ValueError where it has no
    place for one of them."""
    for name, table in (("comparisons", comparisons()), ("actions", actions())):
        head, begin, rest = text.partition(BEGIN.format(name))
        _, end, tail = rest.partition(END.format(name))
        if not begin or not end:
            raise ValueError(f"the document has no place for the {name}")
        text = f"{head}{begin}\n{table}\n{end}{tail}"
    return text


_FORMS = {"string": '"…"', "object": "{ … }", "array": "[ { … }, … ]"}


def _written(word: str, examples: tuple[object, ...], form: str = '"…"') -> str:
    if not examples:
        return f"`{word} = {form}`"
    example = examples[0]
    quoted = f'"{example}"' if isinstance(example, str) else str(example).replace("'", '"')
    return f"`{word} = {quoted}`"


def _table(heads: tuple[str, ...], rows: Iterable[tuple[str, ...]]) -> str:
    def lines() -> Iterator[str]:
        for row in (heads, ("---",) * len(heads), *rows):
            yield f"| {' | '.join(row)} |\n"

    return "".join(lines())


if __name__ == "__main__":
    document = Path(sys.argv[1])
    document.write_text(made(document.read_text()))
