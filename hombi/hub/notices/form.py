"""The form of a post: JSON that a person wrote, with `{title}` and the like where the
parts of a notice go."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping
from typing import Any

from hombi.core.house_facts import did_you_mean

# What a notice has; those that are not texts stay numbers and booleans where they stand
# alone.
PARTS = ("id", "at", "subject", "title", "text", "urgent", "over")
LONGEST = 4_000
_PLACE = re.compile(r"\{([a-z_]+)\}")


def problem(form: str) -> str:
    """What is wrong with a form, "" when nothing is."""
    if len(form) > LONGEST:
        return f"the form has {len(form):,} characters; {LONGEST:,} are the most"
    unknown: list[str] = []
    try:
        filled(form, dict.fromkeys(PARTS, ""), unknown.append)
    except json.JSONDecodeError as error:
        return f"the form is not JSON: line {error.lineno}, column {error.colno}: {error.msg}"
    except RecursionError:
        return "the form is nested too deeply"
    if unknown:
        hint = did_you_mean(unknown[0], PARTS)
        return f"a notice has no {{{unknown[0]}}}; " + (
            hint or f"it has {', '.join(f'{{{part}}}' for part in PARTS)}"
        )
    return ""


def _no_json(word: str) -> float:
    # Python reads NaN and Infinity, which RFC 8259 does not have, and writes them.
    raise json.JSONDecodeError(f"{word} is not a value", word, 0)


def filled(
    form: str, values: Mapping[str, Any], missing: Callable[[str], None] = lambda _: None
) -> bytes:
    """The body of a post. `missing` hears what a notice does not have; that stays as it
    is written."""

    def part(match: re.Match[str]) -> str:
        if match[1] not in values:
            missing(match[1])
        result = values.get(match[1], match[0])
        return json.dumps(result) if isinstance(result, bool) else str(result)

    def fill(value: Any) -> Any:
        if isinstance(value, dict):
            return {key: fill(one) for key, one in value.items()}
        if isinstance(value, list):
            return [fill(one) for one in value]
        if not isinstance(value, str):
            return value
        alone = _PLACE.fullmatch(value)
        return values[alone[1]] if alone and alone[1] in values else _PLACE.sub(part, value)

    plain = json.loads(form, parse_constant=_no_json)
    return json.dumps(fill(plain), ensure_ascii=False).encode(errors="replace")
