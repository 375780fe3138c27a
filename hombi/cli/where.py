"""Where the hub is: the data folder and port of this machine's hub, or the hub somebody
signed in to."""

from __future__ import annotations

import fcntl
import json
import os
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import urlsplit

import httpx
import typer

from hombi.cli.data_place import data_folder
from hombi.client import Hub

DEFAULT_PORT = 21460
TOKEN_FILE = "hub.token"  # noqa: S105 - the name of the file
LOCK_FILE = "hub.lock"
DEMOS = "hombi-demo"


def demo_folder(port: int) -> Path:
    """HOMBI_DATA, or a folder beside the user's own: nobody wants to find the demo's
    house in place of theirs."""
    if os.environ.get("HOMBI_DATA"):
        return data_folder()
    return data_folder().with_name(DEMOS if port == DEFAULT_PORT else f"{DEMOS}-{port}")


def sign_in_file() -> Path:
    """Where the token of `hombi sign-in` is kept."""
    base = os.environ.get("XDG_CONFIG_HOME") or "~/.config"
    return Path(base).expanduser() / "hombi" / "sign-in.json"


def http_port() -> int:
    """HOMBI_PORT, or the usual one. Raises typer.BadParameter for what is not a
    port."""
    text = os.environ.get("HOMBI_PORT") or str(DEFAULT_PORT)
    if not text.isdigit() or not 1 <= int(text) <= 65535:
        raise typer.BadParameter(f"HOMBI_PORT={text!r} is not a port number from 1 to 65535")
    return int(text)


def authority_file() -> Path:
    """Where the house's certificate is kept, for hubs over HTTPS."""
    return sign_in_file().with_name("house.pem")


@dataclass(frozen=True, slots=True)
class Where:
    """An address and a token for it."""

    url: str
    token: str | None

    def hub(self) -> Hub:
        """A client for it."""
        return Hub(self.url, self.token, authority_for(self.url))


def find_hub() -> Where:
    """The hub that runs on this machine, a person's own before a demo's; else the one
    signed in to; else this machine's port."""
    given, port = os.environ.get("HOMBI_PORT"), http_port()
    own = data_folder()
    demos = [] if os.environ.get("HOMBI_DATA") else sorted(own.parent.glob(f"{DEMOS}*"))
    running = [folder for folder in (own, *demos) if _runs(folder)]
    for path in (*(folder / TOKEN_FILE for folder in (*running, own)), sign_in_file()):
        try:
            kept = json.loads(path.read_text())
            url = str(kept["url"])
            if given and path.name == TOKEN_FILE:
                if urlsplit(url).port != port and len(running) > 1:
                    continue
                url = str(httpx.URL(url).copy_with(scheme="http", port=port))
            return Where(url, str(kept["token"]))
        except (OSError, ValueError, KeyError):
            continue
    return Where(f"http://127.0.0.1:{port}", None)


def _runs(folder: Path) -> bool:
    """Whether a hub runs on this data folder: it holds the folder's lock for as long as
    it lives."""
    try:
        with (folder / LOCK_FILE).open() as file:
            fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except BlockingIOError:
        return True
    except OSError:
        return False
    return False


def keep_sign_in(where: Where) -> Path:
    """Keep a token for later commands, readable by this user only."""
    return keep_private(sign_in_file(), json.dumps({"url": where.url, "token": where.token}))


def keep_private(path: Path, text: str) -> Path:
    """Keep a text in a file for this user only."""
    path.parent.mkdir(parents=True, exist_ok=True)
    path.unlink(missing_ok=True)
    with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
        file.write(text)
    return path


def authority_for(url: str) -> Path | None:
    """The house's certificate, for a hub over HTTPS, if it was taken."""
    kept = authority_file()
    return kept if url.startswith("https://") and kept.exists() else None
