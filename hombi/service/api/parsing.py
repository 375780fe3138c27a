"""Reading JSON bodies: strictly (RFC 8259), never deeper than anything of ours is
nested, and into the shape that is asked for."""

from __future__ import annotations

import re
from typing import Any, TypeVar

import msgspec
from rest_framework.exceptions import ParseError
from rest_framework.parsers import BaseParser
from rest_framework.request import Request

from hombi.core.formula import prepare
from hombi.core.house_facts import did_you_mean
from hombi.core.nesting import deeper_than
from hombi.wire.base import Ask

A = TypeVar("A", bound=Ask)
MAX_DEPTH = 64
# How much of a name that nobody knows is shown.
MOST_SHOWN = 60
_MISSING = re.compile(r"Object missing required field `(.*?)`")
_UNKNOWN = re.compile(r"Object contains unknown field `(.*?)`")
_PLACE = re.compile(r" - at `\$(.*)`$")
_AT_MOST = re.compile(r"of length <= (\d+)")
_AT_LEAST = re.compile(r"of length >= (\d+)")
_FORMULA = re.compile(r"[\"\']\s*=")
_WORDS = {
    "`str`": "a text",
    "`int`": "a whole number",
    "`float`": "a number",
    "`bool`": "true or false",
    "`array`": "a list",
    "`object`": "an object",
    "`null`": "nothing",
}


class JsonBody(BaseParser):
    """A body of `application/json`."""

    media_type = "application/json"

    def parse(self, stream: Any, media_type: str | None = None, parser_context: Any = None) -> Any:
        body = stream.read()
        try:
            result = msgspec.json.decode(body)
        except RecursionError as error:
            raise ParseError(f"this JSON is nested deeper than {MAX_DEPTH} levels") from error
        except (msgspec.DecodeError, UnicodeDecodeError) as error:
            raise ParseError(f"this is not JSON: {error}") from error
        if deeper_than(result, MAX_DEPTH):
            raise ParseError(f"this JSON is nested deeper than {MAX_DEPTH} levels")
        return result


def body(request: Request, shape: type[A]) -> A:
    """The body of a request in this shape. Raises ParseError with the place and what
    was expected there."""
    data = request.data
    if not isinstance(data, dict):
        data = dict(data.items()) if hasattr(data, "items") else data
    try:
        return msgspec.convert(_stripped(data, shape.verbatim), shape)
    except msgspec.ValidationError as error:
        raise ParseError(_said(str(error), shape)) from error


def _stripped(data: Any, verbatim: frozenset[str]) -> Any:
    if not isinstance(data, dict):
        return data
    return {
        name: value.strip() if isinstance(value, str) and name not in verbatim else value
        for name, value in data.items()
    }


def _said(error: str, shape: type[Ask]) -> str:
    """What is wrong with a body, in words."""
    result = _PLACE.search(error)
    place = result[1].lstrip(".") if result else ""
    what = _PLACE.sub("", error)
    if missing := _MISSING.search(what):
        return f"{f'{place}.' if place else ''}{missing[1]} is missing"
    if unknown := _UNKNOWN.search(what):
        known = shape.__struct_fields__
        name = unknown[1][:MOST_SHOWN]
        hint = did_you_mean(name, known) or f"known here: {', '.join(known)}"
        return f"{name} means nothing here; {hint}"
    for name, words in _WORDS.items():
        what = what.replace(name, words)
    things = "entries" if "a list" in what else "characters"
    what = _AT_MOST.sub(rf"of at most \1 {things}", what)
    what = _AT_LEAST.sub(rf"of at least \1 {things}", what)
    what = what[:1].lower() + what[1:]
    return f"{place}: {what}" if place else what


def text_of(text: str) -> str:
    """The text of an automation, to be understood in the hub's loop: what takes long at
    the first formula is made ready here, in the request's thread."""
    if _FORMULA.search(text):
        prepare()
    return text
