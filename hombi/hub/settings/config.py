"""`hombi.toml`: the few things that can be set, their defaults, and what is said about
a wrong one. Each link brings the tables that are its own."""

from __future__ import annotations

import contextlib
import os
import time
import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from hombi.core.errors import ValueTextError
from hombi.core.house_facts import did_you_mean
from hombi.core.house_time import known_zone
from hombi.core.seen import units_of_house
from hombi.core.settings import (
    Key,
    SettingsError,
    Tables,
    addresses,
    clock_time,
    count,
    defaults,
    degrees,
    file,
    name,
    names,
    one_of,
    origins,
    port,
    seconds,
    texts,
    yes,
)
from hombi.core.sun import Position
from hombi.core.toml_text import Mistake, TomlText, read_toml
from hombi.hub.settings.backups import BackupSettings
from hombi.hub.settings.mail import PLAIN, STARTTLS, TLS, MailSettings
from hombi.links.base import Link, Surroundings
from hombi.links.installed import installed

FILE_NAME = "hombi.toml"
ANY_ADDRESS = "0.0.0.0"  # noqa: S104 - nodes and phones of the house must reach it; all but pairing needs a sign-in
_FILE = "the path of a PEM file that is there"
_SECRET = frozenset({"password", "secret", "token", "passphrase"})


# How far the port of HTTPS is from that of HTTP.
HTTPS_AFTER = 4


class ConfigError(Exception):
    """`hombi.toml` or an environment variable is wrong; the message has a line for each
    mistake, `mistakes` those of the file."""

    def __init__(self, what: str, mistakes: Sequence[Mistake] = ()) -> None:
        super().__init__(what)
        self.mistakes = list(mistakes)


def _zone(value: Any) -> str:
    if known_zone(str(value)) is None:
        raise ValueError
    return str(value)


def _units(value: Any) -> tuple[str, ...]:
    """The units that the household prefers."""
    return units_of_house(texts(value)) if value not in ([], "") else ()


# What is kept longer is kept for ever, and must still be a time that can be counted.
LONGEST_S = 100 * 366 * 86_400.0


def kept_s(value: Any) -> float:
    """A length of time in seconds, a day at least: less would leave no chart whole.
    Raises ValueError."""
    result = seconds(value)
    if not 86_400 <= result <= LONGEST_S:
        raise ValueError(f"readings are kept for a day to a hundred years, not {value}")
    return result


# The tables of the hub's own. The keys of the links are in `hombi.links`.
OWN: Tables = {
    "house": {
        "name": Key('a text, like "Heron Mill"', name, "Home", live=True),
        "time_zone": Key('a time zone, like "Europe/Berlin"', _zone, live=True),
        "latitude": Key("degrees north from -90 to 90, like 53.1", degrees(90), None, live=True),
        "longitude": Key("degrees east from -180 to 180, like 9.2", degrees(180), None, live=True),
        "units": Key('a list of units, like ["°F", "inHg"]', _units, (), live=True),
    },
    "http": {
        "host": Key('an address, like "0.0.0.0"', name, ANY_ADDRESS),
        "port": Key("a port number from 1 to 65535", port, 21460),
        "names": Key('a list of names, like ["mill.example"]', names, ()),
        "behind": Key('the addresses of proxies, like ["192.168.1.2"]', addresses, ()),
    },
    "https": {
        "use": Key("true or false", yes, True),
        # 0 stands for the port of HTTP, and 4 more.
        "port": Key("a port number from 1 to 65535", port, 0),
        "certificate": Key(_FILE, file),
        "key": Key(_FILE, file),
    },
    "mail": {
        "host": Key('an address, like "mail.mill.example"', name, live=True),
        # 0 stands for the usual one.
        "port": Key("a port number from 1 to 65535", port, 0, live=True),
        "secure": Key(
            '"starttls", "tls" or "none"', one_of(STARTTLS, TLS, PLAIN), STARTTLS, live=True
        ),
        "user": Key("a text", name, live=True),
        "password": Key("a text", name, live=True),
        "from": Key('a mail address, like "hub@mill.example"', name, live=True),
        "ca": Key(_FILE, file, live=True),
    },
    "notices": {
        "push_services": Key(
            'a list of addresses, like ["https://push.mill.example"]', origins, ()
        ),
        "voice": Key('a voice of espeak-ng, like "en" or "de"', name, "en", live=True),
    },
    "readings": {
        "keep": Key('a day to a hundred years, like "90 d"', kept_s, 90 * 86_400.0, live=True),
    },
    "backup": {
        "use": Key("true or false", yes, True, live=True),
        "at": Key('a time of the day, like "03:30"', clock_time, 3 * 60 + 30, live=True),
        "keep": Key("how many, from 1 to 100", count, 3, live=True),
        "folder": Key('a folder, like "/mnt/share/hombi"', name, live=True),
        "passphrase": Key("a text", name, live=True),
    },
    "actuation": {
        "answer_within": Key('a length of time, like "5 s"', seconds, 5.0, live=True),
    },
}


@lru_cache(maxsize=1)
def known_links() -> tuple[Link, ...]:
    """The links that are installed and can be used."""
    return tuple(installed()[0])


def all_tables(links: Sequence[Link]) -> Tables:
    """All tables of the file."""
    tables = dict(OWN)
    for link in links:
        tables.update(link.tables)
    return tables


@dataclass(frozen=True)
class Config:
    """The hub's settings. `values` has each key of each table, set or not; `links` the
    settings of each link."""

    data: Path
    values: Mapping[str, Mapping[str, Any]] = field(default_factory=lambda: defaults(OWN))
    links: Mapping[str, Any] = field(default_factory=dict)

    @property
    def house_name(self) -> str:
        """What the house is called."""
        return str(self.values["house"]["name"])

    @property
    def zone(self) -> ZoneInfo:
        """House time."""
        named = self.values["house"]["time_zone"]
        return ZoneInfo(named) if named else _machine_zone()

    @property
    def position(self) -> Position | None:
        """Where the house stands, where both of its degrees are known."""
        latitude, longitude = (self.values["house"][one] for one in ("latitude", "longitude"))
        return None if latitude is None or longitude is None else Position(latitude, longitude)

    @property
    def units(self) -> tuple[str, ...]:
        """The units in which the household sees values, where they are not the
        kinds'."""
        return tuple(self.values["house"]["units"])

    @property
    def voice(self) -> str:
        """The voice in which the hub speaks."""
        return str(self.values["notices"]["voice"])

    @property
    def http_host(self) -> str:
        """Where the API listens."""
        return str(self.values["http"]["host"])

    @property
    def http_port(self) -> int:
        """The port of the API."""
        return int(self.values["http"]["port"])

    @property
    def http_names(self) -> tuple[str, ...]:
        """Names by which the hub is called, beside its own."""
        return tuple(self.values["http"]["names"])

    @property
    def http_behind(self) -> tuple[str, ...]:
        """The proxies that may speak for others."""
        return tuple(self.values["http"]["behind"])

    @property
    def https(self) -> bool:
        """Whether the hub speaks HTTPS by itself."""
        return bool(self.values["https"]["use"])

    @property
    def https_port(self) -> int:
        """The port of the API over HTTPS."""
        return int(self.values["https"]["port"]) or self.http_port + HTTPS_AFTER

    @property
    def https_certificate(self) -> str:
        """The file of the person's own certificate; "" without one."""
        return str(self.values["https"]["certificate"])

    @property
    def https_key(self) -> str:
        """The file of its key; "" when it is in the same file."""
        return str(self.values["https"]["key"])

    @property
    def answer_s(self) -> float:
        """How long a node has to answer."""
        return float(self.values["actuation"]["answer_within"])

    @property
    def keep_ms(self) -> int:
        """How long single readings are kept; rollups are kept for ever."""
        return round(float(self.values["readings"]["keep"]) * 1000)

    @property
    def mail(self) -> MailSettings:
        """The mail server that takes the house's mail."""
        own = self.values["mail"]
        return MailSettings(
            own["host"], own["port"], own["secure"], own["user"], own["password"], own["from"],
            own["ca"],
        )  # fmt: skip

    @property
    def backup(self) -> BackupSettings:
        """The night's backup."""
        own = self.values["backup"]
        return BackupSettings(own["at"], own["keep"], own["folder"], own["passphrase"], own["use"])

    @property
    def push_services(self) -> tuple[str, ...]:
        """Push services in the house."""
        return tuple(self.values["notices"]["push_services"])

    def differs_at(self, other: Config) -> list[tuple[str, str]]:
        """The table and key of each value that is another there."""
        return [
            (table, key)
            for table, keys in self.values.items()
            for key, value in keys.items()
            if value != other.values.get(table, {}).get(key, value)
        ]


def is_live(table: str, key: str) -> bool:
    """Whether a key applies without a restart."""
    return all_tables(known_links())[table][key].live


# Those that are not settings of the hub's: where it is, and how to sign in to it.
_OTHERS = ("HOMBI_DATA", "HOMBI_PORT", "HOMBI_PASSWORD")


def variables() -> list[str]:
    """The names of all environment variables that mean something here."""
    tables = all_tables(known_links())
    named = (f"HOMBI_{table}_{key}".upper() for table, keys in tables.items() for key in keys)
    return [*named, *_OTHERS]


def stray_variables(environ: Mapping[str, str] = os.environ) -> dict[str, str]:
    """The variables that begin as ours do and mean nothing, each with the hint that
    goes with it."""
    known = variables()
    stray = [one for one in environ if one.startswith("HOMBI_") and one not in known]
    return {one: did_you_mean(one, known) for one in stray}


def load_config(data: Path, environ: Mapping[str, str] = os.environ) -> Config:
    """The settings of a data folder: the environment before the file, the file before
    the defaults.

    `HOMBI_<TABLE>_<KEY>` sets any of them (HOMBI_MQTT_PORT); HOMBI_PORT is short for
    HOMBI_HTTP_PORT. Raises ConfigError.
    """
    _machine_zone()
    links = known_links()
    tables = all_tables(links)
    path = data / FILE_NAME
    set_ = _read(path, tables) if path.exists() else {}
    for table, keys in tables.items():
        for key, one in keys.items():
            variables = [f"HOMBI_{table}_{key}".upper()]
            if (table, key) == ("http", "port"):
                variables.append("HOMBI_PORT")
            for variable in variables:
                if (text := environ.get(variable)) is not None:
                    set_.setdefault(table, {})[key] = _from_environment(variable, text, one)
    return _fitting(set_, data, tables, links)


def _from_environment(variable: str, text: str, key: Key) -> Any:
    try:
        return key.read(_listed(text))
    except (ValueError, ValueTextError) as error:
        what = f"environment variable {variable}={text!r}: expected {key.expected}"
        raise ConfigError(what) from error


def _listed(text: str) -> Any:
    """A list that is written as in hombi.toml, or the text as it is."""
    if text.strip().startswith("["):
        with contextlib.suppress(tomllib.TOMLDecodeError, RecursionError):
            return tomllib.loads(f"given = {text}")["given"]
    return text


def make_config(
    data: Path, set_: Mapping[str, Mapping[str, Any]], links: Sequence[Link] | None = None
) -> Config:
    """The settings where these are set and the others are not. Raises ConfigError."""
    links = known_links() if links is None else links
    return _fitting(set_, data, all_tables(links), links)


def _fitting(
    set_: Mapping[str, Mapping[str, Any]], data: Path, tables: Tables, links: Sequence[Link]
) -> Config:
    """The settings together. Raises ConfigError for what does not go together."""
    values = defaults(tables)
    for table, keys in set_.items():
        values[table].update(keys)
    http, https = values["http"]["port"], values["https"]
    secure = (https["port"] or http + HTTPS_AFTER) if https["use"] else 0
    around = Surroundings(data, values["house"]["name"], http, secure)
    try:
        made = {link.name: link.settings(values, around) for link in links}
    except SettingsError as error:
        raise ConfigError(str(error)) from error
    return Config(data, values, made)


def _toml(path: Path) -> TomlText:
    try:
        return read_toml(path.read_text())
    except (OSError, UnicodeDecodeError) as error:
        raise ConfigError(f"{path} cannot be read: {error}") from error


def _read(path: Path, tables: Tables) -> dict[str, dict[str, Any]]:
    toml = _toml(path)
    values = _from_file(toml, tables) if not toml.mistakes else {}
    if toml.mistakes:
        raise _wrong(path, toml)
    return values


def _wrong(path: Path, toml: TomlText) -> ConfigError:
    said = (f"{path}, {mistake}\n    {mistake.source_line}" for mistake in toml.mistakes)
    return ConfigError("\n".join(said), toml.mistakes)


def check_config(path: Path) -> str:
    """What a settings file sets, in words; or what a link's own file is for. Raises
    ConfigError as `load_config` does."""
    toml = _toml(path)
    for link in known_links():
        for check in link.checks:
            sentence = check(toml)
            if sentence is not None and not toml.mistakes:
                return sentence
            if sentence is not None:
                raise _wrong(path, toml)
    links = known_links()
    tables = all_tables(links)
    values = _read(path, tables)
    _fitting(values, path.parent, tables, links)
    result = [f"{table}.{key}" for table, keys in values.items() for key in keys]
    return f"it sets {', '.join(result)}" if result else "it sets nothing"


def _from_file(toml: TomlText, tables: Tables) -> dict[str, dict[str, Any]]:
    values: dict[str, dict[str, Any]] = {}
    for table, content in toml.data.items():
        known = tables.get(table)
        if known is None or not isinstance(content, dict):
            hint = did_you_mean(table, tables)
            hint = hint or f"tables are {', '.join(f'[{t}]' for t in tables)}"
            toml.blame((table,), f"{table!r} means nothing here", hint, at_value=False)
            continue
        for key, value in content.items():
            setting = known.get(key)
            if setting is None:
                hint = did_you_mean(key, known) or f"known in [{table}]: {', '.join(known)}"
                toml.blame((table, key), f"{table}.{key} means nothing here", hint, at_value=False)
                continue
            try:
                if isinstance(value, str) and setting.read is port:
                    raise ValueError
                values.setdefault(table, {})[key] = setting.read(value)
            except (ValueError, ValueTextError):
                shown = "…" if key in _SECRET else repr(value)
                toml.blame((table, key), f"{table}.{key} is {shown}; expected {setting.expected}")
    if not toml.mistakes:
        for table, keys in values.items():
            for key, setting in tables[table].items():
                if setting.required and key not in keys:
                    hint = f'add {key} = "…", or take the table out'
                    toml.blame((table,), f"[{table}] has no {key}", hint, at_value=False)
    return values


@lru_cache(maxsize=1)
def _machine_zone() -> ZoneInfo:
    """The machine's own time zone, or UTC when it has none.

    It is looked for once, when the settings are loaded first: Django sets TZ for the
    whole process, to its own.
    """
    link = Path("/etc/localtime")
    linked = str(link.resolve()).partition("zoneinfo/")[2] if link.is_symlink() else ""
    names = os.environ.get("TZ", "").lstrip(":"), linked, time.tzname[0]
    return next(filter(None, map(known_zone, names)), ZoneInfo("UTC"))
