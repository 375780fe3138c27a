"""The profiles that a house has: those that come with Hombi, and its own in a folder,
which go before ours."""

from __future__ import annotations

import contextlib
import os
from pathlib import Path

from hombi.core.names import slug
from hombi.links.base import ProfileMistakes
from hombi.links.zigbee.profiles import PLAIN, Profile, read_profile

OURS = Path(__file__).parent / "profiles"


class Shelf:
    """All profiles, found by make and model. `wrong` names what cannot be used, a line
    each mistake."""

    def __init__(self, folder: Path | None) -> None:
        self._folder = folder
        self.wrong: list[str] = []
        self._profiles: list[tuple[Path, Profile]] = []
        self._seen = self._look()
        self._load()

    def find(self, make: str, model: str) -> Profile:
        """The first that fits, or one that changes nothing."""
        return self._fitting(make, model)[1]

    def changed(self) -> bool:
        """Take up the house's own as they are now; whether any is another than
        before."""
        seen = self._look()
        if seen == self._seen:
            return False
        self._seen = seen
        self._load()
        return True

    def file_for(self, make: str, model: str) -> tuple[Path, str]:
        """Where the house keeps its profile for a make and model, or would, and the
        text in use now. Raises ProfileMistakes."""
        if self._folder is None:
            raise ProfileMistakes("the hub has no folder for profiles")
        path, profile = self._fitting(make, model)
        name = slug(f"{make} {model}")
        if not name:
            raise ProfileMistakes(
                "it does not say of what make and model it is, so no profile can be for it"
            )
        return (
            path if path.parent == self._folder else self._folder / f"{name}.toml"
        ), profile.text

    def put(self, make: str, model: str, text: str) -> Path:
        """Keep a text as the house's profile for a make and model; all of it or
        nothing. Raises ProfileMistakes."""
        profile, toml = read_profile(text)
        if profile is not None and (profile.make != make or model not in profile.models):
            toml.blame(
                ("profile",),
                f"this is for {profile.make} {', '.join(profile.models)}, the node is a "
                f"{make} {model}",
            )
        if toml.mistakes:
            count = len(toml.mistakes)
            raise ProfileMistakes(
                f"the profile has {count} mistake{'s' * (count != 1)}", toml.mistakes
            )
        path, _ = self.file_for(make, model)
        path.parent.mkdir(parents=True, exist_ok=True)
        fresh = path.with_suffix(".new")
        with fresh.open("w") as file:
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
        fresh.replace(path)
        self.changed()
        return path

    def _fitting(self, make: str, model: str) -> tuple[Path, Profile]:
        return next(
            (
                profile
                for profile in self._profiles
                if profile[1].make == make and model in profile[1].models
            ),
            (Path(), PLAIN),
        )

    def _look(self) -> list[tuple[str, int, int]]:
        """Something that is another when one of the house's files is."""
        result = []
        for path in sorted(self._folder.glob("*.toml")) if self._folder is not None else []:
            with contextlib.suppress(OSError):  # it was taken away a moment ago
                stat = path.stat()
                result.append((path.name, stat.st_mtime_ns, stat.st_size))
        return result

    def _load(self) -> None:
        before = dict(self._profiles)
        result: list[tuple[Path, Profile]] = []
        wrong: list[str] = []
        for place in (self._folder, OURS):
            for path in sorted(place.glob("*.toml")) if place is not None else []:
                try:
                    text = path.read_text()
                except (OSError, UnicodeDecodeError) as error:
                    wrong.append(f"{path} cannot be read: {error}")
                    continue
                profile, toml = read_profile(text)
                if profile is None:
                    wrong += [f"{path}, {mistake}" for mistake in toml.mistakes]
                    if path in before:  # a text with a mistake is ignored as a whole
                        result.append((path, before[path]))
                else:
                    result.append((path, profile))
        self._profiles, self.wrong = result, wrong
