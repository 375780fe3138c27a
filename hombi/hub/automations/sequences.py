"""Sequences: lists of actions with a name of their own, which automations run."""

from __future__ import annotations

import asyncio

from hombi.core.automation import Sequence, read_sequence
from hombi.core.names import slug
from hombi.core.toml_text import Mistake
from hombi.hub.automations.events import SequenceKept, SequenceRemoved
from hombi.hub.errors import Invalid
from hombi.hub.house import House
from hombi.hub.kernel import Actor, Change, Context, Done, Feature, Right
from hombi.hub.lookup import find

MOST_SEQUENCES, LONGEST_NAME = 100, 80


class Sequences(Feature):
    """Keeps them, by their texts."""

    name = "sequences"

    def __init__(self, context: Context, house: House) -> None:
        super().__init__(context)
        self.house = house
        self.one_by_one = asyncio.Lock()

    async def open(self) -> None:
        stored = await self.context.thread.run(self.context.records.sequences.all)
        self.house.sequences.update(stored)

    def find(self, name: str) -> str:
        """The address of the sequence with this name or address. Raises NotFound."""
        known = {sequence: sequence for sequence in self.house.sequences}
        return find(known, name, "sequence", lambda one: (self.title(one),))

    def title(self, address: str) -> str:
        """What a sequence is called."""
        sequence, _ = self.check(self.house.sequences[address])
        return sequence.name if sequence is not None else address

    def check(self, text: str) -> tuple[Sequence | None, tuple[Mistake, ...]]:
        """What a text comes to, without keeping it; None with every mistake."""
        sequence, mistakes = read_sequence(text, self.house.facts())
        if sequence is not None:
            # It may run itself over others.
            address = slug(sequence.name)
            facts = self.house.facts(sequences={**self.house.sequences, address: text})
            sequence, mistakes = read_sequence(text, facts, within=(address,))
        return sequence, mistakes

    def sentence(self, sequence: Sequence) -> str:
        """Its steps in words."""
        known = self.house.entities

        def spoken(address: str) -> str:
            return known[address].spoken if address in known else address

        return "; ".join(step.sentence(spoken) for step in sequence.steps)


class KeepSequence(Change[Sequences, str], frozen=True):
    """Keep a sequence, word for word, in the place of the one with its name. Raises
    Invalid with every mistake."""

    text: str

    feature = Sequences
    right = Right.WRITE

    async def do(self, feature: Sequences, by: Actor) -> Done[str]:
        async with feature.one_by_one:
            sequence, mistakes = feature.check(self.text)
            if sequence is None:
                count = len(mistakes)
                raise Invalid(f"the text has {count} mistake{'s' * (count != 1)}", mistakes)
            address = slug(sequence.name)
            if not address or len(sequence.name) > LONGEST_NAME:
                raise Invalid(
                    f"a sequence needs a name with a letter or a digit, {LONGEST_NAME} characters "
                    f"at most"
                )
            if address == "check":
                raise Invalid(
                    f"{sequence.name!r} is an address of the API's own; name it otherwise"
                )
            known = feature.house.sequences
            if address not in known and len(known) >= MOST_SEQUENCES:
                raise Invalid(f"there are {MOST_SEQUENCES} sequences already; remove one first")
            save = feature.context.records.sequences.save
            await feature.context.thread.run(save, address, self.text)
            known[address] = self.text
        return Done(address, SequenceKept(sequence=sequence.name))


class RemoveSequence(Change[Sequences, None], frozen=True):
    """Remove a sequence; an automation that runs it says so. Raises NotFound."""

    sequence: str

    feature = Sequences
    right = Right.WRITE

    async def do(self, feature: Sequences, by: Actor) -> Done[None]:
        async with feature.one_by_one:
            address = feature.find(self.sequence)
            title = feature.title(address)
            await feature.context.thread.run(feature.context.records.sequences.remove, address)
            del feature.house.sequences[address]
        return Done(None, SequenceRemoved(sequence=title))
