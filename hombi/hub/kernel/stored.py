"""What is in memory is what is stored: a change that cannot be stored has not been
made."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator


@contextlib.contextmanager
def while_stored(thing: object, **new: object) -> Iterator[None]:
    """Give a thing new values for its attributes while it is being stored; a failure
    gives it back those of before."""
    before = {name: getattr(thing, name) for name in new}
    for name, value in new.items():
        setattr(thing, name, value)
    try:
        yield
    except BaseException:
        for name, value in before.items():
            setattr(thing, name, value)
        raise
