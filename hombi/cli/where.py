"""Where the hub is: the data folder and port of this machine's hub, or the hub somebody signed in to."""

from __future__ import annotations

import json
import os
from dataclasses import dataclass
from pathlib import Path

import typer

from hombi.client import Hub

DEFAULT_PORT = 4662
TOKEN_FILE = "hub.token"  # noqa: S105 - the name of the file


def data_folder() -> Path:
    """HOMBI_DATA, or `hombi` in the user's data folder (XDG base directories)."""
    given = os.environ.get("HOMBI_DATA")
    if given:
        return Path(given).expanduser().absolute()
    base = os.environ.get("XDG_DATA_HOME") or "~/.local/share"
    return Path(base).expanduser() / "hombi"


def sign_in_file() -> Path:
    """Where the token of `hombi sign-in` is kept."""
    base = os.environ.get("XDG_CONFIG_HOME") or "~/.config"
    return Path(base).expanduser() / "hombi" / "sign-in.json"


def http_port() -> int:
    """HOMBI_PORT, or the usual one. Raises typer.BadParameter for what is no port."""
    text = os.environ.get("HOMBI_PORT") or str(DEFAULT_PORT)
    if not text.isdigit() or not 1 <= int(text) <= 65535:
        raise typer.BadParameter(f"HOMBI_PORT={text!r} is no port number from 1 to 65535")
    return int(text)


@dataclass(frozen=True, slots=True)
class Where:
    """An address and a token for it."""

    url: str
    token: str | None

    def hub(self) -> Hub:
        """A client for it."""
        return Hub(self.url, self.token)


def find_hub() -> Where:
    """The hub on this machine when its token file can be read, else the one signed in to, else this machine's port."""
    given, port = os.environ.get("HOMBI_PORT"), http_port()
    for path in (data_folder() / TOKEN_FILE, sign_in_file()):
        try:
            kept = json.loads(path.read_text())
            url = str(kept["url"])
            if given and path.name == TOKEN_FILE:
                url = f"http://127.0.0.1:{port}"
            return Where(url, str(kept["token"]))
        except (OSError, ValueError, KeyError):
            continue
    return Where(f"http://127.0.0.1:{port}", None)


def keep_sign_in(where: Where) -> Path:
    """Keep a token for later commands, readable by this user only."""
    path = sign_in_file()
    path.parent.mkdir(parents=True, exist_ok=True)
    path.unlink(missing_ok=True)
    with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
        json.dump({"url": where.url, "token": where.token}, file)
    return path
