"""The pictures of notices. The hub asks the camera when the notice is made, and keeps
what it shows for a while; a notice never waits for it."""

from __future__ import annotations

import asyncio
import os
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from pathlib import Path

from hombi.hub.camera import media_type_of, picture_at
from hombi.hub.errors import HubError
from hombi.hub.events import ActionFailed
from hombi.hub.kernel import Context

FOLDER = "pictures"
# A picture has 6 MB at most.
MOST_KEPT, MOST_COMING, AT_ONCE = 100, 20, 4
KEPT_S = 7 * 86_400
# How long somebody who asks waits for one that is on its way: longer than a camera may
# take.
PATIENCE_S = 12.0


class Pictures:
    """Fetches them, keeps them by the identity of their notice, and forgets the
    oldest."""

    def __init__(
        self,
        context: Context,
        data: Path,
        fetch: Callable[[str], tuple[str, bytes]] = picture_at,
    ) -> None:
        self.context, self._folder, self._fetch = context, data / FOLDER, fetch
        self._coming: dict[str, Future[str]] = {}
        self._pool = ThreadPoolExecutor(AT_ONCE, thread_name_prefix="pictures")

    def begin(self, identity: str, address: str, automation: str) -> None:
        """Take the picture of a notice."""
        if len(self._coming) >= MOST_COMING:
            self._failed(automation, "too many pictures are on their way")
            return
        taking = self._coming[identity] = self._pool.submit(self._take, identity, address)
        self.context.tasks.start(self._finish(identity, taking, automation), name="a picture")

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
        said = f"its notice has no picture: {problem}"
        self.context.announce(ActionFailed(automation=automation, problem=said))

    def _take(self, identity: str, address: str) -> str:
        """In a thread of its own: fetch one and keep it; why there is none."""
        try:
            _, content = self._fetch(address)
        except HubError as error:
            return str(error)
        self._folder.mkdir(mode=0o700, exist_ok=True)
        made = self._folder / f"{identity}.new"
        made.write_bytes(content)
        made.replace(self._folder / identity)
        self._forget()
        return ""

    def _forget(self) -> None:
        """Only the newest are kept, and none for more than a week."""
        now = self.context.clock.now_ms() / 1000
        with os.scandir(self._folder) as found:
            known = sorted(((one.stat().st_mtime, one.path) for one in found), reverse=True)
        for place, (at, path) in enumerate(known):
            if place >= MOST_KEPT or now - at > KEPT_S:
                Path(path).unlink(missing_ok=True)

    def get(self, identity: str) -> tuple[str, bytes] | None:
        """The media type and the bytes of a notice's picture, None where there is none.
        It blocks while the camera is asked."""
        coming = self._coming.get(identity)
        if coming is not None:
            wait([coming], PATIENCE_S)
        try:
            content = (self._folder / identity).read_bytes()
        except OSError:
            return None
        return media_type_of(content), content

    def close(self) -> None:
        """Wait for no camera any more."""
        self._pool.shutdown(wait=False, cancel_futures=True)
