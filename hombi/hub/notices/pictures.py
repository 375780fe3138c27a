"""The pictures of notices. The hub asks the camera when the notice is made, and keeps
what it shows for a while; a notice never waits for it."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from pathlib import Path

from hombi.hub.acting.events import ActionFailed
from hombi.hub.errors import HubError
from hombi.hub.kernel import Context
from hombi.hub.notices.camera import media_type_of, picture_at
from hombi.hub.notices.kept import Kept

MOST_COMING, AT_ONCE = 20, 4
# How long somebody who asks waits for one that is on its way: longer than a camera may
# take.
PATIENCE_S = 12.0


class Pictures:
    """Fetches them, and keeps them for a while."""

    def __init__(
        self,
        context: Context,
        data: Path,
        fetch: Callable[[str], tuple[str, bytes]] = picture_at,
    ) -> None:
        self._context, self._fetch = context, fetch
        self._kept = Kept(data / "pictures")
        self._coming: dict[str, Future[str]] = {}
        self._pool = ThreadPoolExecutor(AT_ONCE, thread_name_prefix="pictures")

    def begin(self, identity: str, address: str, automation: str) -> None:
        """Take the picture of a notice."""
        if len(self._coming) >= MOST_COMING:
            self._failed(automation, "too many pictures are on their way")
            return
        taking = self._coming[identity] = self._pool.submit(self._take, identity, address)
        self._context.tasks.start(self._finish(identity, taking, automation), name="a picture")

    async def _finish(self, identity: str, taking: Future[str], automation: str) -> None:
        try:
            problem = await asyncio.wrap_future(taking)
        except OSError as error:
            problem = f"it cannot be kept: {error.strerror}"
        finally:
            del self._coming[identity]
        if problem:
            self._failed(automation, problem)

    def _failed(self, automation: str, problem: str) -> None:
        sentence = f"its notice has no picture: {problem}"
        self._context.announce(ActionFailed(automation=automation, problem=sentence))

    def _take(self, identity: str, address: str) -> str:
        """In a thread of its own: fetch one and keep it; why there is none."""
        try:
            _, content = self._fetch(address)
        except HubError as error:
            return str(error)
        self._kept.put(identity, content, self._context.clock.now_ms() / 1000)
        return ""

    def has(self, identity: str) -> bool:
        """Whether there is one of a notice, or it is on its way."""
        return identity in self._coming or self._kept.has(identity)

    def get(self, identity: str) -> tuple[str, bytes] | None:
        """The media type and the bytes of a notice's picture, None where there is none.
        It blocks while the camera is asked."""
        coming = self._coming.get(identity)
        if coming is not None:
            wait([coming], PATIENCE_S)
        content = self._kept.get(identity)
        return None if content is None else (media_type_of(content), content)

    def close(self) -> None:
        """Wait for no camera any more."""
        self._pool.shutdown(wait=False, cancel_futures=True)
