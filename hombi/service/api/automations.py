"""Automations: their texts, checking them, and writing a simple one from a form."""

from __future__ import annotations

from typing import Any

from rest_framework.request import Request
from rest_framework.response import Response

from hombi.core.automation import EdgeKind, Threshold, schema, write
from hombi.core.automation.edit import EditError, with_value
from hombi.hub.automations.changes import (
    Acknowledge,
    AddAutomation,
    ChangeAutomation,
    RemoveAutomation,
    RunActions,
)
from hombi.hub.automations.port import TextRecord
from hombi.hub.errors import Invalid
from hombi.hub.hub import Hub
from hombi.service.api import answers
from hombi.service.api.parsing import body, text_of
from hombi.service.api.schema import Query, operation
from hombi.service.api.views import View, actor, done, given, yes
from hombi.service.bridge import change, hub, read
from hombi.wire.automations import (
    Automation,
    AutomationChange,
    Checked,
    EditRequest,
    KeptText,
    RunRequest,
    TextRequest,
    ThresholdRequest,
    Written,
)

_LEAVE = [Query("leave", bool, description="leave what it switched as it is")]


class AutomationsView(View):
    """All automations."""

    @operation(name="automations_list", gives=list[Automation])
    def get(self, request: Request) -> Response:
        """All automations, by name."""
        return Response(
            read(
                lambda h: [
                    answers.automation(h, r) for _, r in sorted(h.automations.runners.items())
                ]
            )
        )

    @operation(takes=TextRequest, gives=Automation, status=201)
    def post(self, request: Request) -> Response:
        """Add one. A text with mistakes is refused with all of them."""
        wanted = AddAutomation(text_of(body(request, TextRequest).text))
        return Response(change(actor(request), wanted, answers.automation), status=201)


class CheckView(View):
    """Checking a text."""

    @operation(takes=TextRequest, gives=Checked)
    def post(self, request: Request) -> Response:
        """Every mistake in a text, and the sentence that it comes to; nothing is
        kept."""
        text = text_of(body(request, TextRequest).text)
        return Response(read(lambda h: Checked(**answers.checked(h, text))))


class SchemaView(View):
    """The language, for editors."""

    @operation(name="automations_schema", gives=dict[str, Any])
    def get(self, request: Request) -> Response:
        """The JSON Schema of an automation's text: every key, and what it means."""
        return Response(schema())


class WriteView(View):
    """Writing a simple text."""

    @operation(takes=ThresholdRequest, gives=Written)
    def post(self, request: Request) -> Response:
        """The text that the blanks make; nothing is kept."""
        blanks = body(request, ThresholdRequest).given()

        def written(h: Hub) -> Written:
            entity = h.house.entities.get(blanks["entity"])
            happens = entity is not None and entity.kind.moment
            text = write(Threshold(**blanks, happens=happens))
            return Written(text=text, **answers.checked(h, text))

        return Response(read(written))


class EditView(View):
    """Changing one place of a text."""

    @operation(name="automations_edit", takes=EditRequest, gives=Written)
    def post(self, request: Request) -> Response:
        """The text with another value at one place; all else stays to the byte. Nothing
        is kept."""
        payload = body(request, EditRequest)
        try:
            text = text_of(with_value(payload.text, tuple(payload.path), payload.value))
        except EditError as error:
            raise Invalid(str(error)) from error
        return Response(read(lambda h: Written(text=text, **answers.checked(h, text))))


class RunView(View):
    """Running actions."""

    @operation(name="automations_run", takes=RunRequest, gives=Automation)
    def post(self, request: Request, automation: str) -> Response:
        """Run the actions of an edge now: nothing needs to be so for it, and
        where the automation stands does not change."""
        edge = EdgeKind(body(request, RunRequest).edge)
        return Response(change(actor(request), RunActions(automation, edge), answers.automation))


class AcknowledgeView(View):
    """Seeing to what an automation has started for."""

    @operation(name="automations_acknowledge", gives=Automation)
    def post(self, request: Request, automation: str) -> Response:
        """Say that somebody sees to it: it reminds nobody any more, until it starts
        again."""
        return Response(change(actor(request), Acknowledge(automation), answers.automation))


class TextsView(View):
    """The texts of an automation."""

    @operation(name="automations_texts", gives=list[KeptText])
    def get(self, request: Request, automation: str) -> Response:
        """The texts that it had, the present one first: since when, and who wrote
        them."""
        record = read(lambda h: h.automations.find(automation).record)
        kept = hub().context.records.automations.texts(record.slug)
        if not kept or kept[0].text != record.text:
            # Kept before texts were, or cut off in between: the present one is first.
            kept = [TextRecord(0, "", record.text), *kept]
        return Response(
            [KeptText(at=text.at_ms or None, by=text.by or None, text=text.text) for text in kept]
        )


class AutomationView(View):
    """One automation."""

    @operation(gives=Automation)
    def get(self, request: Request, automation: str) -> Response:
        """The automation."""
        return Response(read(lambda h: answers.automation(h, h.automations.find(automation))))

    @operation(takes=AutomationChange, gives=Automation)
    def patch(self, request: Request, automation: str) -> Response:
        """Give it another text, or put it on or off duty."""
        payload = body(request, AutomationChange)
        text = given(payload.text)
        wanted = ChangeAutomation(
            automation,
            None if text is None else text_of(text),
            given(payload.enabled),
            payload.leave,
            given(payload.was),
        )
        return Response(change(actor(request), wanted, answers.automation))

    @operation(parameters=_LEAVE)
    def delete(self, request: Request, automation: str) -> Response:
        """Remove it. What is on ends first, as its text says."""
        return done(request, RemoveAutomation(automation, leave=yes(request, "leave")))
