"""What went wrong with a call, as problem details (RFC 9457)."""

from __future__ import annotations

from hombi.wire.automations import Mistake
from hombi.wire.base import Shape


class Problem(Shape, frozen=True, kw_only=True, omit_defaults=True):
    """`detail` says what is wrong and what to do; `mistakes` where, in a text."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    mistakes: list[Mistake] = []
    stored: int = 0
    refused: list[str] = []
