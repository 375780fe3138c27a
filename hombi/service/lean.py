"""Loading the libraries without what they load beside, and the hub seldom or never
uses: pages for administrators, a command line of an HTTP client, a parser of SQL. They
would take 8 MB."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Iterator, Sequence
from functools import partial
from importlib import import_module
from types import ModuleType
from typing import Any

# Without these their libraries work as if they were not installed.
ABSENT = ("httpx._main", "pygments", "requests", "django.contrib.postgres", "inflection", "yaml")
# These are wanted seldom, or never: to describe the API to a program, to send a browser
# to a page of Django's, to draw a QR code, to look into a table that a migration
# changes, to run several servers. What is taken from one by its name is named here.
LATER = {
    "django.contrib.admindocs.views": ("simplify_regex",),
    "django.contrib.auth.views": ("redirect_to_login",),
    "segno": (),
    "sqlparse": (),
    "uvicorn.supervisors": ("ChangeReload", "Multiprocess"),
}


@contextlib.contextmanager
def lean() -> Iterator[None]:
    """What is loaded within goes without them."""
    held: dict[str, ModuleType | None] = dict.fromkeys(ABSENT)
    held |= {module: _stand_in(module, names) for module, names in LATER.items()}
    held = {name: instead for name, instead in held.items() if name not in sys.modules}
    sys.modules.update(held)  # type: ignore[arg-type]  # None: it is not to be found
    try:
        yield
    finally:
        for name, instead in held.items():
            if sys.modules.get(name, ...) is instead:
                del sys.modules[name]


def _stand_in(module: str, names: Sequence[str]) -> ModuleType:
    """A module that loads the real one when one of these is called, or when anything
    else of it is wanted."""
    found = ModuleType(module)

    def real(name: str) -> Any:
        if name.startswith("__"):  # the import system looks whether it is a package
            raise AttributeError(name)
        if sys.modules.get(module) is found:
            del sys.modules[module]
        return getattr(import_module(module), name)

    def call(name: str, *words: Any, **named: Any) -> Any:
        return real(name)(*words, **named)

    for name in names:
        setattr(found, name, partial(call, name))
    found.__dict__["__getattr__"] = real
    return found
