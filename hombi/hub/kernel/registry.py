"""The registry of features: it makes each feature with what its constructor asks for,
by the types of its parameters, and gives all of them new settings."""

from __future__ import annotations

import logging
from collections.abc import Callable
from inspect import Parameter, signature
from typing import TYPE_CHECKING, Any, TypeVar, get_type_hints

from hombi.hub.kernel.context import Context, Feature, Need

if TYPE_CHECKING:
    from hombi.hub.settings.config import Config

log = logging.getLogger(__name__)

T = TypeVar("T")


class Registry:
    """What features are made of, and the features. `features` are in the order in which
    they were made: each comes after those that it needs."""

    def __init__(self) -> None:
        self._made: dict[Any, Any] = {Registry: self}
        self._makers: dict[Any, Callable[..., Any]] = {}
        self._making: list[str] = []
        self.features: list[Feature] = []

    def put(self, thing: object, kind: Any = None) -> None:
        """What asks for something of this kind, its own type unless given, is given
        this."""
        self._made[kind or type(thing)] = thing

    def makers(self, *makers: Callable[..., Any]) -> None:
        """What these return, by its annotation, is made by them. They are given what
        their own parameters ask for."""
        for make in makers:
            self._makers[get_type_hints(make)["return"]] = make

    def get(self, kind: type[T]) -> T:
        """The thing of this type, made when it is asked for first, after all that it
        needs. Raises LookupError where nothing makes it, or two need each other."""
        if kind not in self._made:
            self._made[kind] = made = self._make(kind)
            if isinstance(made, Feature):
                self.features.append(made)
        result: T = self._made[kind]
        return result

    def _make(self, kind: Any) -> Any:
        name = getattr(kind, "__name__", str(kind))
        chain = " → ".join([*self._making, name])
        if name in self._making:
            raise LookupError(f"features need each other: {chain}")
        make = self._makers.get(kind)
        if make is None and not (isinstance(kind, type) and issubclass(kind, Feature)):
            raise LookupError(f"nothing makes {chain}")
        make = make or kind
        hints = get_type_hints(kind.__init__ if make is kind else make)
        asked_for = [
            one.name
            for one in signature(make).parameters.values()
            if one.default is Parameter.empty
        ]
        self._making.append(name)
        try:
            given = {parameter: self.get(hints[parameter]) for parameter in asked_for}
        finally:
            self._making.pop()
        return make(**given)

    def needs(self) -> list[Need]:
        """What needs a person, most pressing first."""
        failing = self.get(Context).tasks.failing.items()
        features = sorted(self.features, key=lambda feature: feature.pressing)
        return [
            *(Need("part", f"{name} fails: {why}", "/journal") for name, why in failing),
            *(need for feature in features for need in feature.needs()),
        ]

    async def reconfigured(self, new: Config, old: Config) -> dict[str, Exception]:
        """Give each feature new settings; what hindered some of them, by their names.

        A feature that cannot take them up keeps no other from it.
        """
        problems: dict[str, Exception] = {}
        for feature in self.features:
            try:
                await feature.reconfigured(new, old)
            except Exception as error:
                log.warning("%s did not take up the settings", feature.name, exc_info=error)
                problems[feature.name] = error
        return problems
