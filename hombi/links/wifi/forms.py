"""The forms of a Thing Description (TD 1.1, 5.3.4): over which address each property is
read, followed and written.

Understood are the HTTP binding (read, write, actions; following by Server-Sent Events,
else by reading again and again) and the MQTT binding (topics on the hub's own door or
on the broker that it is connected to).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any
from urllib.parse import unquote, urljoin, urlsplit

import uritemplate

from hombi.links.wifi.origins import origin_of

READ, OBSERVE, WRITE, INVOKE, READ_ALL, SUBSCRIBE = (
    "readproperty",
    "observeproperty",
    "writeproperty",
    "invokeaction",
    "readallproperties",
    "subscribeevent",
)
_DEFAULT_METHOD = {WRITE: "PUT", INVOKE: "POST"}
_FOLLOWED = (OBSERVE, SUBSCRIBE)
_JSON = "application/json"
# What a form may have the hub do; anything else is not a request that a node needs.
_METHODS = frozenset({"GET", "PUT", "POST", "PATCH", "DELETE"})
_SPOKEN = ("nosec", "basic", "digest", "bearer", "apikey")


@dataclass(frozen=True, slots=True)
class HttpForm:
    """A request: where, how, and whether the answer is a stream of events."""

    url: str
    method: str
    content_type: str = _JSON
    events: bool = False


@dataclass(frozen=True, slots=True)
class MqttForm:
    """A topic (when reading, a filter) on the broker at `host:port`."""

    host: str
    port: int
    topic: str
    qos: int = 1
    retain: bool = False


@dataclass(frozen=True, slots=True)
class Ways:
    """How one property is reached."""

    read: HttpForm | None = None
    observe: HttpForm | MqttForm | None = None
    write: HttpForm | MqttForm | None = None


@dataclass(frozen=True, slots=True)
class Security:
    """What a request must carry: `scheme` as in the description, and for `apikey` where
    (`header` or `query`) and its name."""

    scheme: str = "nosec"
    place: str = "header"
    name: str = ""

    @property
    def asks(self) -> str:
        """What the person must know to let the node in, "" for nothing."""
        return {
            "basic": "user and password",
            "digest": "user and password",
            "bearer": "token",
            "apikey": "key",
        }.get(self.scheme, "")


@dataclass(frozen=True, slots=True)
class Reach:
    """All the ways to a node, by the names in its description; what cannot be done is
    in `left_out`. `elsewhere` are the origins beside its own that its forms name."""

    security: Security
    properties: dict[str, Ways] = field(default_factory=dict)
    actions: dict[str, HttpForm | MqttForm] = field(default_factory=dict)
    read_all: HttpForm | None = None
    events: dict[str, HttpForm | MqttForm] = field(default_factory=dict)
    left_out: tuple[str, ...] = ()
    elsewhere: tuple[str, ...] = ()

    @property
    def described(self) -> bool:
        """Whether the description says how the node is reached at all; without that it
        is one that speaks to us by itself."""
        return bool(self.properties or self.read_all or self.events)


@dataclass(frozen=True, slots=True)
class _Base:
    """What addresses are resolved against, the origins that they may lead to (None for
    any), and what stands for the variables in them."""

    url: str
    origins: frozenset[str] | None
    variables: Mapping[str, Any] = field(default_factory=lambda: MappingProxyType({}))

    def of(self, affordance: Mapping[str, Any]) -> _Base:
        """The same for one property, action or event, which may have variables of its
        own. Each stands for its default (TD 1.1, 5.3.1.1)."""
        own = {
            name: one["default"]
            for name, one in _named(affordance.get("uriVariables"))
            if "default" in one
        }
        return replace(self, variables={**self.variables, **own})


def read_forms(source: dict[str, Any], found_at: str = "", origins: Iterable[str] = ()) -> Reach:
    """The ways to a node, from its description as decoded JSON and the address it was
    found at. Never raises: what is not understood is named in `left_out`. Forms at
    other origins than that address's are used only where those are in `origins`."""
    allowed = frozenset({origin_of(found_at), *origins}) if found_at else None
    base = _Base(_join(found_at, source.get("base")) or found_at, allowed).of(source)
    left_out: list[str] = []
    security = _security(source, left_out)
    properties: dict[str, Ways] = {}
    for name, one in _named(source.get("properties")):
        ways = _ways(name, _forms(one), base.of(one), left_out)
        if ways != Ways():
            properties[name] = ways
    actions: dict[str, HttpForm | MqttForm] = {}
    for name, one in _named(source.get("actions")):
        forms, own = _forms(one), base.of(one)
        result = [f for f in (_form(form, INVOKE, own) for form in forms) if not isinstance(f, str)]
        if result:
            actions[name] = result[0]
        elif forms:
            left_out.append(f"action {name}: {_why_not(forms, INVOKE, own)}")
    events: dict[str, HttpForm | MqttForm] = {}
    for name, one in _named(source.get("events")):
        forms, own = _forms(one), base.of(one)
        streams = [f for form in forms if not isinstance(f := _form(form, SUBSCRIBE, own), str)]
        if streams:
            events[name] = streams[0]
        elif forms or properties:
            left_out.append(f"event {name}: {_why_not(forms, SUBSCRIBE, own)}")
    read_all = next(
        (f for form in _forms(source) if isinstance(f := _form(form, READ_ALL, base), HttpForm)),
        None,
    )
    return Reach(
        security,
        properties,
        actions,
        read_all,
        events,
        tuple(left_out),
        _elsewhere(source, base, origin_of(found_at)),
    )


def _elsewhere(source: dict[str, Any], base: _Base, own: str) -> tuple[str, ...]:
    """The origins beside its own that forms over HTTP name, in their order."""
    affordances = [
        source,
        *(one for _, one in _named(source.get("properties"))),
        *(one for _, one in _named(source.get("actions"))),
        *(one for _, one in _named(source.get("events"))),
    ]
    urls = [
        _join(base.url, form.get("href"))
        for affordance in affordances
        for form in _forms(affordance)
    ]
    return tuple(
        dict.fromkeys(result for url in urls if (result := origin_of(url)) and result != own)
    )


def _ways(name: str, forms: list[dict[str, Any]], base: _Base, left_out: list[str]) -> Ways:
    if not forms:
        return Ways()
    read = [f for form in forms if isinstance(f := _form(form, READ, base), HttpForm)]
    write = [f for form in forms if not isinstance(f := _form(form, WRITE, base), str)]
    streams = [
        f for form in forms if isinstance(f := _form(form, OBSERVE, base), HttpForm | MqttForm)
    ]
    if not (read or streams):
        left_out.append(f"property {name}: {_why_not(forms, READ, base)}")
        return Ways()
    if not streams and any(OBSERVE in _ops(form) for form in forms):
        left_out.append(
            f"property {name}: it is read again and again; {_why_not(forms, OBSERVE, base)}"
        )
    return Ways(
        read[0] if read else None, streams[0] if streams else None, write[0] if write else None
    )


def _form(form: dict[str, Any], op: str, base: _Base) -> HttpForm | MqttForm | str:
    """The form for an operation, or why it is none."""
    if op not in _ops(form):
        return f"no form for {op}"
    url = _join(base.url, form.get("href"))
    try:
        split, port = urlsplit(url), urlsplit(url).port
    except ValueError:
        return f"its address {url} is none"
    if "{" in url:
        if missing := uritemplate.variables(url) - base.variables.keys():
            return f"its address {url} has variables without a default: {', '.join(missing)}"
        url = uritemplate.expand(url, dict(base.variables))
    if split.scheme in ("mqtt", "mqtts"):
        return _mqtt(form, split.hostname or "", port, split.path, op)
    if split.scheme not in ("http", "https"):
        return f"its address {url or '(none)'} is neither http nor mqtt"
    if base.origins is not None and origin_of(url) not in base.origins:
        return f"its address {url} is at another origin than the node itself, which was not ticked"
    content_type = _text(form.get("contentType")) or _JSON
    if not any(one in content_type for one in ("json", "text/plain")):
        return f"its content type {content_type} is not JSON and not plain text"
    protocol = _text(form.get("subprotocol"))
    if op in _FOLLOWED and protocol != "sse":
        return f"the hub follows by events (sse), not by {protocol or 'an unnamed way'}"
    method = (_text(form.get("htv:methodName")) or _DEFAULT_METHOD.get(op, "GET")).upper()
    if method not in _METHODS:
        return f"its method {method} is none that the hub uses"
    return HttpForm(url, method, content_type, events=op in _FOLLOWED)


def _mqtt(form: dict[str, Any], host: str, port: int | None, path: str, op: str) -> MqttForm | str:
    topic = (
        _text(form.get("mqv:filter")) or _text(form.get("mqv:topic")) or unquote(path.lstrip("/"))
    )
    control = _text(form.get("mqv:controlPacket"))
    if op == READ:
        return "over MQTT a value is followed, not read"
    if not topic:
        return "its MQTT form names no topic"
    if control and (control in ("subscribe", "mqv:subscribe")) != (op in _FOLLOWED):
        return f"its MQTT form is for {control}"
    qos = form.get("mqv:qos")
    return MqttForm(
        host,
        port or 1883,
        topic,
        int(qos) if qos is not None and str(qos) in ("0", "1", "2") else 1,
        form.get("mqv:retain") is True,
    )


def _why_not(forms: list[dict[str, Any]], op: str, base: _Base) -> str:
    reasons = [r for form in forms if isinstance(r := _form(form, op, base), str)]
    return next(
        (r for r in reasons if not r.startswith("no form for")),
        reasons[0] if reasons else "it has no forms",
    )


def _security(source: dict[str, Any], left_out: list[str]) -> Security:
    wanted = source.get("security")
    names = [wanted] if isinstance(wanted, str) else wanted if isinstance(wanted, list) else []
    definitions = dict(_named(source.get("securityDefinitions")))
    schemes = [definitions[name] for name in names if isinstance(name, str) and name in definitions]
    for one in schemes:
        scheme = _text(one.get("scheme"))
        if scheme in _SPOKEN:
            default = {"apikey": "query"}.get(scheme, "header")
            return Security(scheme, _text(one.get("in")) or default, _text(one.get("name")))
    if schemes:
        spoken = ", ".join(_SPOKEN)
        left_out.append(
            f"security: {_text(schemes[0].get('scheme')) or '(none)'} is not spoken "
            f"here; spoken are {spoken}"
        )
    return Security()


def _ops(form: dict[str, Any]) -> Iterable[str]:
    """What a form is for; one that does not say is for the usual (TD 1.1, 5.3.4.2)."""
    op = form.get("op")
    if isinstance(op, str):
        return (op,)
    if isinstance(op, list):
        return [one for one in op if isinstance(one, str)]
    control = _text(form.get("mqv:controlPacket"))
    if control:
        return _FOLLOWED if "subscribe" in control else (WRITE, INVOKE)
    return (READ, WRITE, INVOKE, SUBSCRIBE)


def _forms(table: dict[str, Any]) -> list[dict[str, Any]]:
    forms = table.get("forms")
    return [form for form in forms if isinstance(form, dict)] if isinstance(forms, list) else []


def _named(found: Any) -> list[tuple[str, dict[str, Any]]]:
    return (
        [(name, one) for name, one in found.items() if isinstance(one, dict)]
        if isinstance(found, dict)
        else []
    )


def _join(base: str, href: Any) -> str:
    """An address on another; "" for what is none."""
    try:
        return urljoin(base, _text(href))
    except ValueError:
        return ""


def _text(found: Any) -> str:
    return found if isinstance(found, str) else ""
