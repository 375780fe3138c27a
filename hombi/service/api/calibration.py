"""Calibration: a sensor beside a reference, and the correction that follows."""

from __future__ import annotations

from dataclasses import asdict

from rest_framework.request import Request
from rest_framework.response import Response

from hombi.core.series import calibration as core
from hombi.hub.conditioning.calibrating import CalibrateEntity, calibrated, reference_of
from hombi.hub.conditioning.changes import conditionable
from hombi.hub.errors import Invalid
from hombi.hub.house import Entity
from hombi.service.api.conditioning import conditioning_of
from hombi.service.api.entities import LATEST_MS
from hombi.service.api.parsing import body
from hombi.service.api.schema import operation
from hombi.service.api.views import View, actor
from hombi.service.bridge import change, hub, read
from hombi.wire.conditioning import CalibrationRequest, CompareRequest, Comparison, Conditioning
from hombi.wire.conditioning import Fit as FitShape


class CompareView(View):
    """A sensor beside a reference."""

    @operation(takes=CompareRequest, gives=Comparison)
    def post(self, request: Request, node: str, name: str) -> Response:
        """What the two come to over a span; nothing is changed."""
        payload = body(request, CompareRequest)
        _checked(payload)
        sensor, reference = read(
            lambda h: (
                conditionable(h.house, f"{node}/{name}").snapshot(),
                reference_of(
                    h.house, h.house.entity(f"{node}/{name}"), payload.reference, _typed(payload)
                ),
            )
        )
        history = hub().context.records.history
        calibration = calibrated(history, sensor, reference, payload.start, payload.end)
        return Response(
            Comparison(
                entity=sensor.address,
                reference=reference.address if isinstance(reference, Entity) else "",
                unit=sensor.kind.unit,
                start=payload.start,
                end=payload.end,
                at=[hour.start_ms for hour in calibration.hours],
                sensor=[hour.sensor for hour in calibration.hours],
                beside=[hour.reference for hour in calibration.hours],
                offset=_fit(calibration.offset),
                both=_fit(calibration.both),
                remarks=list(calibration.remarks),
                behind_ms=calibration.behind_ms,
            )
        )


class CalibrationView(View):
    """The correction of a sensor."""

    @operation(takes=CalibrationRequest, gives=Conditioning)
    def post(self, request: Request, node: str, name: str) -> Response:
        """Correct it by what the comparison comes to, as the last step of its chain."""
        payload = body(request, CalibrationRequest)
        _checked(payload)
        address = f"{node}/{name}"
        made = CalibrateEntity(
            address,
            payload.reference,
            payload.start,
            payload.end,
            payload.gain,
            payload.past,
            _typed(payload),
        )
        change(actor(request), made, lambda *_: None)
        return Response(conditioning_of(address))


def _fit(fit: core.Fit | None) -> FitShape | None:
    return None if fit is None else FitShape(**asdict(fit))


def _typed(payload: CompareRequest) -> list[tuple[int, str]]:
    return [(value.at, value.value) for value in payload.typed]


def _checked(payload: CompareRequest) -> None:
    if not 0 <= payload.start < payload.end <= LATEST_MS:
        raise Invalid("start must come before end, and both are ms since 1970")
