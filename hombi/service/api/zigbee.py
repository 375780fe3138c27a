"""The Zigbee stick and its network."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema
from rest_framework import serializers as s
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from hombi.hub.engine import mistake_data
from hombi.hub.errors import Invalid, Refused
from hombi.links.base import LinkError
from hombi.links.zigbee.driver import ZigbeeDriver
from hombi.links.zigbee.shelf import ProfileError
from hombi.service.api.shapes import Shape, checked
from hombi.service.bridge import call, hub


class ZigbeeShape(Shape):
    """The stick and its network. `foreign`: it carries a network that is not this
    house's, and a person must say what to do."""

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
    """What is to be done with a foreign network on the stick: keep it, or start
    clean."""

    choice = s.ChoiceField(["keep", "clean"])


class NodeProfileShape(Shape):
    """The profile of a node's make and model. `text` ends with what the node says and
    nothing names yet."""

    path = s.CharField(help_text="where the house keeps it, or would")
    text = s.CharField()
    unnamed = s.IntegerField(help_text="how many values have no name yet")


class ProfileRequest(Shape):
    """The profile's text, in TOML."""

    text = s.CharField(max_length=100_000, trim_whitespace=False)


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
        """Keep the foreign network that the stick carries, or wipe it and go on with
        the house's own, else with a new one."""
        try:
            call(_driver().choose(checked(request, ChoiceRequest)["choice"]))
        except LinkError as error:
            raise Refused(str(error)) from error
        return Response(_driver().info(), status=202)


class NodeProfileView(APIView):
    """A node's profile."""

    @extend_schema(responses=NodeProfileShape)
    def get(self, request: Request, node: str) -> Response:
        """The profile of a Zigbee node's make and model, with each value that it says
        and that has no name yet."""
        return Response(_profile(node))

    @extend_schema(request=ProfileRequest, responses=NodeProfileShape)
    def put(self, request: Request, node: str) -> Response:
        """Keep another text as the house's profile of this make and model; its nodes
        have its values at once."""
        text = checked(request, ProfileRequest)["text"]
        _speaks_zigbee(node)
        try:
            call(_driver().put_profile(node, text))
        except ProfileError as error:
            raise Invalid(str(error), [mistake_data(one) for one in error.mistakes]) from error
        except LinkError as error:
            raise Refused(str(error)) from error
        return Response(_profile(node))


def _speaks_zigbee(node: str) -> None:
    found = hub().house.node(node)
    if found.link != "zigbee":
        raise Refused(f"{node} speaks over {found.link}; node profiles are for Zigbee nodes")


def _profile(node: str) -> dict[str, Any]:
    _speaks_zigbee(node)
    try:
        path, text, unnamed = _driver().profile_of(node)
    except LinkError as error:
        raise Refused(str(error)) from error
    return {"path": str(path), "text": text, "unnamed": unnamed}
