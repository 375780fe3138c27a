"""The Zigbee stick and its network."""

from __future__ import annotations

from drf_spectacular.utils import extend_schema
from rest_framework import serializers as s
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from hombi.hub.errors import Refused
from hombi.links.base import LinkError
from hombi.links.zigbee.driver import ZigbeeDriver
from hombi.service.api.shapes import Shape, checked
from hombi.service.bridge import call, hub


class ZigbeeShape(Shape):
    """The stick and its network. `foreign`: it carries a network that is not this house's, and a person must say what to do."""

    port = s.CharField(allow_blank=True)
    state = s.ChoiceField(["up", "down", "foreign"])
    text = s.CharField(help_text="how it is, in words")
    firmware = s.CharField(allow_blank=True)
    pan_id = s.IntegerField(allow_null=True)
    extended_pan_id = s.CharField(allow_blank=True)
    channel = s.IntegerField(allow_null=True)
    ieee = s.CharField(allow_blank=True, help_text="the stick's own address")
    nodes = s.IntegerField()


class ChoiceRequest(Shape):
    """What is to be done with a foreign network on the stick: keep it, or start clean."""

    choice = s.ChoiceField(["keep", "clean"])


def _driver() -> ZigbeeDriver:
    driver = hub().drivers["zigbee"]
    assert isinstance(driver, ZigbeeDriver)
    return driver


class ZigbeeView(APIView):
    """The stick."""

    @extend_schema(responses=ZigbeeShape)
    def get(self, request: Request) -> Response:
        """The stick and its network; its key is never shown."""
        return Response(_driver().info())


class ZigbeeNetworkView(APIView):
    """A foreign network."""

    @extend_schema(request=ChoiceRequest, responses={202: ZigbeeShape})
    def post(self, request: Request) -> Response:
        """Keep the foreign network that the stick carries, or wipe it and go on with the house's own, else with a new one."""
        try:
            call(_driver().choose(checked(request, ChoiceRequest)["choice"]))
        except LinkError as error:
            raise Refused(str(error)) from error
        return Response(_driver().info(), status=202)
