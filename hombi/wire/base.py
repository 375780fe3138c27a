"""What all shapes share: how they are read, written and checked."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar

import msgspec
from msgspec import UNSET, Meta, UnsetType

Ms = Annotated[int, Meta(description="milliseconds since 1970")]
Name = Annotated[str, Meta(min_length=1, max_length=60)]
MaybeName = Annotated[str, Meta(max_length=60)]

__all__ = ["UNSET", "Ask", "MaybeName", "Meta", "Ms", "Name", "Shape", "UnsetType"]


class Shape(msgspec.Struct, frozen=True, kw_only=True):
    """Something that the hub tells. A reader passes over fields that a newer hub
    adds."""

    def as_dict(self) -> dict[str, Any]:
        """As plain data, for JSON."""
        return dict(msgspec.to_builtins(self))


class Ask(
    msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True
):
    """Something that the hub is asked. A field that it does not know is a mistake.

    Texts lose the blanks around them, except those named in `verbatim`.
    """

    verbatim: ClassVar[frozenset[str]] = frozenset()

    def given(self) -> dict[str, Any]:
        """The fields that were given, and those with a default, by name."""
        values = ((name, getattr(self, name)) for name in self.__struct_fields__)
        return {name: value for name, value in values if value is not UNSET}
