"""The schema class of the views: the description of an operation comes from what is
written beside it. It is loaded when somebody asks for the description."""

from __future__ import annotations

from typing import Any, get_args, get_origin

import msgspec
from drf_spectacular.extensions import OpenApiAuthenticationExtension
from drf_spectacular.openapi import AutoSchema
from drf_spectacular.utils import OpenApiParameter

from hombi.service.api.schema import Operation


class WireSchema(AutoSchema):
    """Describes a view's operations by what is written beside them."""

    @property
    def _operation(self) -> Operation | None:
        return getattr(getattr(self.view, self.method.lower(), None), "operation", None)

    def get_operation_id(self) -> str:
        operation = self._operation
        named = operation.name if operation is not None else None
        return named if named is not None else str(super().get_operation_id())

    def get_auth(self) -> list[Any]:
        operation = self._operation
        if operation is not None and operation.open_to_all:
            return []
        return list(super().get_auth())

    def get_request_serializer(self) -> Any:
        operation = self._operation
        if operation is None:
            return super().get_request_serializer()
        if operation.takes is None:
            return operation.body
        return {"application/json": reference(operation.takes)}

    def get_response_serializers(self) -> Any:
        operation = self._operation
        if operation is None:
            return super().get_response_serializers()
        return {operation.status: reference(operation.gives)}

    def get_override_parameters(self) -> list[Any]:
        operation = self._operation
        queries = operation.parameters if operation is not None else ()
        return [OpenApiParameter(**msgspec.structs.asdict(query)) for query in queries]


TEMPLATE = "#/components/schemas/{name}"


def reference(shape: Any) -> dict[str, Any] | None:
    """The JSON Schema of a shape, a list of them, or plain data; None for no body."""
    if shape is None:
        return None
    if get_origin(shape) is list:
        return {"type": "array", "items": reference(get_args(shape)[0])}
    if get_origin(shape) is dict:
        return {"type": "object", "additionalProperties": True}
    return {"$ref": TEMPLATE.format(name=shape.__name__)}


# By name: this is loaded while the library loads what they are made of.
_AUTHENTICATION = "hombi.service.accounts.authentication"


class _PersonScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    target_class = f"{_AUTHENTICATION}.PersonAuthentication"
    name = "cookieAuth"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "apiKey", "in": "cookie", "name": "sessionid"}


class _TokenScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    target_class = f"{_AUTHENTICATION}.TokenAuthentication"
    name = "token"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "http", "scheme": "bearer"}


class _NodeKeyScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    target_class = f"{_AUTHENTICATION}.NodeKeyAuthentication"
    name = "nodeToken"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "http", "scheme": "bearer"}


class _NodeScheme(OpenApiAuthenticationExtension):  # type: ignore[no-untyped-call]
    target_class = f"{_AUTHENTICATION}.NodeAuthentication"
    name = "nodeKey"

    def get_security_definition(self, auto_schema: Any) -> dict[str, str]:
        return {"type": "http", "scheme": "basic"}
