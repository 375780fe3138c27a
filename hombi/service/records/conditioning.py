"""The conditioning port on the ORM."""

from __future__ import annotations

from typing import Any

from hombi.service.records import models as m


class DatabaseConditioning:
    """`hombi.hub.conditioning.port.ConditioningPort`."""

    def all(self) -> dict[int, dict[str, Any]]:
        return dict(m.Conditioning.objects.values_list("entity_id", "data"))

    def save(self, entity: int, data: dict[str, Any]) -> None:
        if m.Entity.objects.filter(pk=entity).exists():
            m.Conditioning.objects.update_or_create(entity_id=entity, defaults={"data": data})
