"""What a comparison is: one module has all about one, and everything that knows
automations (the check, the schema, the form, the reference) asks it here."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Iterator, Mapping
from typing import Any, ClassVar, Self

from hombi.core.automation import describing
from hombi.core.automation.form import Field, given, optional
from hombi.core.kinds import Kind
from hombi.core.toml_text import Path, TomlText
from hombi.core.values import show_limit, show_value


def use_is(kind: Kind) -> str:
    """How a value of a kind that has words is compared."""
    word = (kind.words or ("…",))[-1 if kind.two_states else 0]
    return f'write is = "{word}"'


class Comparison(ABC):
    """How a watched value is compared. `limit` and `until` are in the kind's unit.

    Subclasses that are written in texts have a `word`. They are frozen dataclasses with
    slots.
    """

    __slots__ = ()

    # What is written in a text, and what it says there: one line, and examples of what
    # may stand behind it.
    word: ClassVar[str] = ""
    means: ClassVar[str] = ""
    examples: ClassVar[tuple[str | list[str], ...]] = ()
    # What an editor completes behind it.
    takes: ClassVar[str] = describing.LIMIT
    # Its row in the reference: when it is so.
    so_while: ClassVar[str] = ""
    # Where it stands among the others.
    place: ClassVar[float] = 100.0
    # The keys beside it in a watch, with their labels in a form.
    beside: ClassVar[Mapping[str, str]] = {"held": "Held for", "until_held": "Back for"}
    # Whether it is a state, which can be asked for at any moment: not so for what
    # depends on how the value has moved.
    is_state: ClassVar[bool] = True
    # 1 for what is so above a limit, -1 for below, 0 for all others.
    side: ClassVar[int] = 0
    # Whether its limits are values that can be met exactly.
    exact: ClassVar[bool] = False
    # Its numbers that may be formulas: each with where it is written, below the table.
    formulas: ClassVar[Mapping[str, Path]] = {}

    limit: float
    until: float | None

    @classmethod
    @abstractmethod
    def parse(cls, toml: TomlText, path: Path, table: dict[str, Any], kind: Kind) -> Self | None:
        """Understand it from the table that watches; what is wrong is noted there."""

    @classmethod
    def parse_followed(
        cls, toml: TomlText, path: Path, table: dict[str, Any], kind: Kind
    ) -> Self | None:
        """The same where some of its numbers are formulas: in the table they stand as
        the ends of the kind, or not at all."""
        return cls.parse(toml, path, table, kind)

    @abstractmethod
    def starts_with(self, value: float) -> bool:
        """Whether this value is on the side that counts."""

    @abstractmethod
    def ends_with(self, value: float) -> bool:
        """Whether this value ends what has started."""

    @abstractmethod
    def sentence(self, kind: Kind) -> str:
        """As in "When the humidity is …"."""

    def sentence_until(self, kind: Kind) -> str:
        """As in "…, until it is back …"; "" when it ends at its limit."""
        return ""

    @abstractmethod
    def seen(self, value: float, kind: Kind) -> str:
        """What was compared when it started, in words."""

    def ended(self, value: float, target: float, kind: Kind) -> str:
        """What has ended it, in words: a value that is back at `target`."""
        shown = show_value(value, kind)
        return f"it is {shown}" if kind.words else f"{shown}, back past {show_limit(target, kind)}"

    def span(self) -> tuple[float, float]:
        """Between which values it is so; from -inf to inf where that says nothing."""
        return -math.inf, math.inf

    @property
    def possible(self) -> bool:
        """Whether any value lies between its limits, which may follow others."""
        return True

    @property
    def numbers(self) -> dict[str, float]:
        """The limits that a sentence names, by their names here."""
        return {"limit": self.limit}

    def back(self, until: str) -> str:
        """As in "…, until it is back …", for an `until` that is a formula."""
        return until

    @classmethod
    def schema(cls) -> dict[str, Any]:
        """What may stand behind the word, as a JSON Schema."""
        examples = (example for example in cls.examples if isinstance(example, str))
        return describing.text(cls.means, *examples, takes=cls.takes)

    @classmethod
    def fields(cls, table: Mapping[str, Any], path: Path) -> Iterator[Field]:
        """Its values in a form, from a table that has its word."""
        about = table.get("entity", "the value")
        if isinstance(table[cls.word], str):
            yield from given(table, path, {cls.word: f"{about} {cls.word.replace('_', ' ')}"})
            yield from optional(table, path, cls.beside)
