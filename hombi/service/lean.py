"""Loading the libraries without what they load beside, and the hub never uses: the
command line of an HTTP client, Django's pages for administrators, a test client. It is
a fifteenth of the hub's memory."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Iterator
from importlib import import_module
from types import ModuleType
from typing import Any

# Without these their libraries work as if they were not installed.
ABSENT = ("httpx._main", "pygments", "requests", "django.contrib.postgres")
# These are wanted seldom: to describe the API to a program, to draw a QR code, to look
# into a table that a migration changes. Whoever takes a function of one by its name
# gets it from the stand-in.
LATER = {
    "rest_framework.test": "APIRequestFactory",
    "django.contrib.admindocs.views": "simplify_regex",
    "segno": "",
    "sqlparse": "",
}


@contextlib.contextmanager
def lean() -> Iterator[None]:
    """What is loaded within goes without them."""
    held: dict[str, ModuleType | None] = dict.fromkeys(ABSENT)
    held |= {module: _stand_in(module, name) for module, name in LATER.items()}
    held = {name: instead for name, instead in held.items() if name not in sys.modules}
    sys.modules.update(held)  # type: ignore[arg-type]  # None: it is not to be found
    try:
        yield
    finally:
        for name, instead in held.items():
            if sys.modules.get(name, ...) is instead:
                del sys.modules[name]


def _stand_in(module: str, name: str) -> ModuleType:
    """A module that loads the real one when that function is called, or when anything
    else of it is wanted."""
    found = ModuleType(module)

    def real(name: str) -> Any:
        if name.startswith("__"):  # the import system looks whether it is a package
            raise AttributeError(name)
        if sys.modules.get(module) is found:
            del sys.modules[module]
        return getattr(import_module(module), name)

    def call(*words: Any, **named: Any) -> Any:
        return real(name)(*words, **named)

    if name:
        setattr(found, name, call)
    found.__dict__["__getattr__"] = real
    return found
