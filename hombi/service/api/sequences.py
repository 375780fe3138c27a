"""Sequences: lists of actions that automations run."""

from __future__ import annotations

from rest_framework.request import Request
from rest_framework.response import Response

from hombi.core.names import slug
from hombi.hub.automations.sequences import KeepSequence, RemoveSequence
from hombi.hub.hub import Hub
from hombi.service.api.mistakes import mistake
from hombi.service.api.parsing import body, text_of
from hombi.service.api.schema import operation
from hombi.service.api.views import View, actor, done
from hombi.service.bridge import change, read
from hombi.wire.automations import Sequence, TextRequest


class SequencesView(View):
    """All sequences."""

    @operation(name="sequences_list", gives=list[Sequence])
    def get(self, request: Request) -> Response:
        """All of them, by address."""
        return Response(
            read(lambda h: [_sequence(h, sequence) for sequence in sorted(h.house.sequences)])
        )

    @operation(name="sequences_keep", takes=TextRequest, gives=Sequence)
    def put(self, request: Request) -> Response:
        """Keep one, in the place of the one with its name. A text with mistakes is
        refused with all of them."""
        kept = KeepSequence(text_of(body(request, TextRequest).text))
        return Response(change(actor(request), kept, _sequence))


class SequenceCheckView(View):
    """Checking a text."""

    @operation(name="sequences_check", takes=TextRequest, gives=Sequence)
    def post(self, request: Request) -> Response:
        """Every mistake in the text of a sequence, and the sentence that it comes to;
        nothing is kept."""
        text = text_of(body(request, TextRequest).text)
        return Response(read(lambda h: _told(h, "", text)))


class SequenceView(View):
    """One sequence."""

    @operation(gives=Sequence)
    def get(self, request: Request, sequence: str) -> Response:
        """The sequence."""
        return Response(read(lambda h: _sequence(h, h.sequences.find(sequence))))

    @operation()
    def delete(self, request: Request, sequence: str) -> Response:
        """Remove it. An automation that runs it says so."""
        return done(request, RemoveSequence(sequence))


def _sequence(h: Hub, address: str) -> Sequence:
    return _told(h, address, h.house.sequences[address])


def _told(h: Hub, address: str, text: str) -> Sequence:
    sequence, mistakes = h.sequences.check(text)
    return Sequence(
        sequence=address or (slug(sequence.name) if sequence is not None else ""),
        name=sequence.name if sequence is not None else address,
        text=text,
        sentence=h.sequences.sentence(sequence) if sequence is not None else "",
        mistakes=[mistake(one) for one in mistakes],
    )
