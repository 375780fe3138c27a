"""Automations: their texts, checking them, and writing a simple one from a form."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers as s
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from hombi.core.automation import Threshold, write
from hombi.hub.engine import mistake_data
from hombi.service.api.shapes import AutomationShape, MistakeShape, Shape, checked, runner_data
from hombi.service.bridge import call, hub


class TextRequest(Shape):
    """The text of an automation, kept word for word."""

    text = s.CharField(trim_whitespace=False, max_length=20_000)


class AutomationChange(Shape):
    """Another text, or whether it is on duty. With `leave` what is on now stays as it
    is; else it ends first."""

    text = s.CharField(trim_whitespace=False, max_length=20_000, required=False)
    enabled = s.BooleanField(required=False)
    leave = s.BooleanField(required=False)


class CheckedShape(Shape):
    """What a text comes to."""

    ok = s.BooleanField()
    sentence = s.CharField(allow_blank=True)
    mistakes = MistakeShape(many=True)
    warnings = MistakeShape(many=True, help_text="what is allowed and hardly meant")


class ThresholdRequest(Shape):
    """The blanks of the form for a simple threshold, each as a person writes it."""

    name = s.CharField()
    entity = s.CharField()
    condition = s.ChoiceField(["over", "under", "is"])
    limit = s.CharField()
    about = s.CharField(default="", allow_blank=True)
    held = s.CharField(default="", allow_blank=True)
    until = s.CharField(default="", allow_blank=True)
    between = s.CharField(default="", allow_blank=True)
    switch = s.CharField(default="", allow_blank=True)
    notify = s.CharField(default="", allow_blank=True)
    title = s.CharField(default="", allow_blank=True)
    text = s.CharField(default="", allow_blank=True)


class WrittenShape(CheckedShape):
    """The text that the blanks make, checked."""

    text = s.CharField()


def _check(text: str) -> dict[str, Any]:
    parsed, sentence = hub().engine.check(text)
    return {
        "ok": parsed.automation is not None,
        "sentence": sentence,
        "mistakes": [mistake_data(m) for m in parsed.mistakes],
        "warnings": [mistake_data(m) for m in parsed.warnings],
    }


class AutomationsView(APIView):
    """All automations."""

    @extend_schema(responses=AutomationShape(many=True))
    def get(self, request: Request) -> Response:
        """All automations, in the order in which they were added."""
        runners = sorted(hub().engine.runners.values(), key=lambda r: r.record.id)
        return Response([runner_data(r) for r in runners])

    @extend_schema(request=TextRequest, responses={201: AutomationShape})
    def post(self, request: Request) -> Response:
        """Add one."""
        return Response(
            runner_data(call(hub().engine.add(checked(request, TextRequest)["text"]))), status=201
        )


class CheckView(APIView):
    """Checking a text."""

    @extend_schema(request=TextRequest, responses=CheckedShape)
    def post(self, request: Request) -> Response:
        """Every mistake in a text, with its place; nothing is kept."""
        return Response(_check(checked(request, TextRequest)["text"]))


class WriteView(APIView):
    """The form."""

    @extend_schema(request=ThresholdRequest, responses=WrittenShape)
    def post(self, request: Request) -> Response:
        """The text that the blanks make; nothing is kept."""
        text = write(Threshold(**checked(request, ThresholdRequest)))
        return Response({"text": text, **_check(text)})


class AutomationView(APIView):
    """One automation."""

    @extend_schema(responses=AutomationShape)
    def get(self, request: Request, automation: str) -> Response:
        """The automation."""
        return Response(runner_data(hub().engine.find(automation)))

    @extend_schema(request=AutomationChange, responses=AutomationShape)
    def patch(self, request: Request, automation: str) -> Response:
        """Give it another text, or put it on or off duty."""
        return Response(
            runner_data(call(hub().engine.change(automation, **checked(request, AutomationChange))))
        )

    @extend_schema(
        parameters=[OpenApiParameter("leave", bool, description="leave what it switched as it is")],
        responses={204: None},
    )
    def delete(self, request: Request, automation: str) -> Response:
        """Remove it. What is on ends first, as its text says."""
        call(
            hub().engine.remove(
                automation, leave=request.query_params.get("leave", "") in ("true", "1")
            )
        )
        return Response(status=204)
