"""Scenes: recorded as they are, recalled together."""

from __future__ import annotations

from rest_framework.request import Request
from rest_framework.response import Response

from hombi.core.values import show_value
from hombi.hub.acting.scenes import Recalled, RecallScene, RecordScene, RemoveScene
from hombi.hub.house import Scene
from hombi.hub.hub import Hub
from hombi.service.api import answers
from hombi.service.api.parsing import body
from hombi.service.api.schema import operation
from hombi.service.api.views import View, actor, done
from hombi.service.bridge import change, read
from hombi.wire.scenes import Scene as SceneShape
from hombi.wire.scenes import SceneRecall, SceneRequest, SceneState


class ScenesView(View):
    """All scenes."""

    @operation(name="scenes_list", gives=list[SceneShape])
    def get(self, request: Request) -> Response:
        """All of them, by title."""
        return Response(read(lambda h: [_scene(h, scene) for scene in h.scenes.all]))

    @operation(name="scenes_record", takes=SceneRequest, gives=SceneShape, status=201)
    def post(self, request: Request) -> Response:
        """Record the present states of some entities."""
        payload = body(request, SceneRequest)
        made = RecordScene(payload.title, payload.entities)
        return Response(change(actor(request), made, _scene), 201)


class SceneView(View):
    """One scene."""

    @operation(gives=SceneShape)
    def get(self, request: Request, scene: str) -> Response:
        """Its states."""
        return Response(read(lambda h: _scene(h, h.scenes.find(scene))))

    @operation()
    def delete(self, request: Request, scene: str) -> Response:
        """Remove it. An automation that recalls it says so."""
        return done(request, RemoveScene(scene))


class RecallView(View):
    """Recalling a scene."""

    @operation(name="scenes_recall", gives=SceneRecall)
    def post(self, request: Request, scene: str) -> Response:
        """Put its entities into their states, and wait until their nodes confirm it or
        time is up."""
        return Response(change(actor(request), RecallScene(scene), _recalled))


def _scene(h: Hub, scene: Scene) -> SceneShape:
    states = [_state(h, address, to) for address, to in scene.states.items()]
    return SceneShape(scene=scene.slug, title=scene.title, states=states)


def _state(h: Hub, address: str, to: float) -> SceneState:
    entity = h.house.entities.get(address)
    if entity is None:
        return SceneState(entity=address, spoken=address, shown=f"{to:g}", there=False)
    shown = show_value(to, h.house.seen(entity))
    return SceneState(entity=address, spoken=entity.spoken, shown=shown, there=entity.writable)


def _recalled(_: Hub, recalled: Recalled) -> SceneRecall:
    return SceneRecall(
        scene=recalled.scene.slug,
        commands=[answers.command(command) for command in recalled.commands],
        gone=list(recalled.gone),
    )
