"""Loading the libraries without what they load beside, and the hub never uses: the
command line of an HTTP client, Django's pages for administrators, a test client. It is
a tenth of the hub's memory."""

from __future__ import annotations

import contextlib
import sys
from collections.abc import Callable, Iterator
from importlib import import_module
from types import ModuleType
from typing import Any

# Without these their libraries work as if they were not installed.
ABSENT = ("httpx._main", "pygments", "requests", "django.contrib.postgres")
# Of these a library wants one function, when the API is described to programs.
LATER = {
    "rest_framework.test": "APIRequestFactory",
    "django.contrib.admindocs.views": "simplify_regex",
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
    """A module with one function, which loads the real one when it is called."""
    found = ModuleType(module)

    def call(*words: Any, **named: Any) -> Any:
        real: Callable[..., Any] = getattr(import_module(module), name)
        return real(*words, **named)

    setattr(found, name, call)
    return found
