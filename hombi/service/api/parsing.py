"""Reading JSON bodies: strictly (RFC 8259), and never deeper than anything of ours is
nested."""

from __future__ import annotations

from typing import Any

import msgspec
from rest_framework.exceptions import ParseError
from rest_framework.parsers import BaseParser

from hombi.core.nesting import deeper_than

MAX_DEPTH = 64


class JsonBody(BaseParser):
    """A body of `application/json`."""

    media_type = "application/json"

    def parse(self, stream: Any, media_type: str | None = None, parser_context: Any = None) -> Any:
        body = stream.read()
        try:
            found = msgspec.json.decode(body)
        except RecursionError as error:
            raise ParseError(f"this JSON is nested deeper than {MAX_DEPTH} levels") from error
        except (msgspec.DecodeError, UnicodeDecodeError) as error:
            raise ParseError(f"this is not JSON: {error}") from error
        if deeper_than(found, MAX_DEPTH):
            raise ParseError(f"this JSON is nested deeper than {MAX_DEPTH} levels")
        return found
