"""The text of a simple threshold automation, from the blanks of a form."""

from __future__ import annotations

from dataclasses import dataclass

import tomlkit


@dataclass(frozen=True, slots=True)
class Threshold:
    """The blanks of the form, each as a person writes it; an empty one is left out of
    the text."""

    name: str
    entity: str
    condition: str
    limit: str
    about: str = ""
    held: str = ""
    until: str = ""
    between: str = ""
    switch: str = ""
    notify: str = ""
    title: str = ""
    text: str = ""
    # Whether what it watches happens and has no end: a press.
    happens: bool = False


def write(blanks: Threshold) -> str:
    """The automation's text. It is not checked here: `parse` says what is wrong with
    it."""
    document = tomlkit.document()
    document["name"] = blanks.name
    if blanks.about:
        document["about"] = blanks.about
    watch = {
        "entity": blanks.entity,
        blanks.condition: blanks.limit,
        "held": blanks.held,
        "until": blanks.until,
    }
    document["watch"] = _table(watch)
    if blanks.between:
        document["only"] = _table({"between": blanks.between})
    starts, ends = tomlkit.aot(), tomlkit.aot()
    if blanks.switch and blanks.happens:
        starts.append(_table({"switch": blanks.switch, "to": "other"}))
    elif blanks.switch:
        starts.append(_table({"switch": blanks.switch, "to": "on"}))
        ends.append(_table({"switch": blanks.switch, "to": "off"}))
    if blanks.notify:
        starts.append(
            _table(
                {"notify": blanks.notify, "title": blanks.title or blanks.name, "text": blanks.text}
            )
        )
    if len(starts):
        document["starts"] = starts
    if len(ends):
        document["ends"] = ends
    return tomlkit.dumps(document)


def _table(values: dict[str, str]) -> tomlkit.items.Table:
    table = tomlkit.table()
    for key, value in values.items():
        if value:
            table[key] = value
    return table
