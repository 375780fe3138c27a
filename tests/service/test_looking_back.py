"""Automations over the past: replayed before they are kept, explained afterwards."""

from __future__ import annotations

import json
import threading
import time
from datetime import UTC
from pathlib import Path

import pytest

from hombi.client import HubProblem, Missing, Wrong
from hombi.core.automation import parse
from hombi.core.automation.replay import Course, Overtaken, replay
from hombi.core.house_facts import EntityFacts, HouseFacts
from hombi.core.kinds import KINDS
from hombi.core.series import Reading
from hombi.hub.automations.looking_back import Turns
from hombi.wire.automations import PretendValue
from tests.house import CLIMATE, PLUG, Service, call, description, let_in, until

HOUR, MIN = 3_600_000, 60_000
TEXT = """name = "Cellar too dry"

[watch]
entity = "cellar-rack/humidity"
under = "82 %"   # the rinds crack
held = "10 min"

[[starts]]
switch = "mister/switch"
to = "on"
"""


@pytest.fixture(scope="module")
def begun(service: Service) -> int:
    """Ten hours: each hour but the last a dip of 20 minutes, and one of 5; when they
    begin."""
    start = (round(time.time() * 1000) - 11 * HOUR) // HOUR * HOUR
    rack = let_in(service, description("Cellar rack", **CLIMATE))
    mister = let_in(service, description("Mister", **PLUG))
    mister.post([{"n": "switch", "vb": False}])
    pack = []
    for minute in range(0, 600):
        within = minute % 60
        low = minute < 540 and (10 <= within < 30 or 40 <= within < 45)
        pack.append({"n": "humidity", "v": 80 if low else 84, "t": start / 1000 + 60 * minute})
    for first in range(0, len(pack), 300):
        assert rack.post(pack[first : first + 300]).is_success
    with service.hub() as hub:
        until(lambda: hub.entities.numbers("cellar-rack/humidity").count == 600)
        hub.automations.add(TEXT)
    return start


def test_a_replay_counts_what_would_have_been_done(service: Service, begun: int) -> None:
    with service.hub() as hub:
        result = hub.automations.replay(
            TEXT, start=begun, end=begun + 10 * HOUR, automation="cellar-too-dry"
        )
        assert (result.starts, result.short, result.condition, result.limit) == (9, 9, "under", 82)
        assert result.on_ms == 9 * 10 * MIN
        assert result.on_from[0] == begun + 20 * MIN
        assert result.effects[0].text == "Mister on"
        assert result.effects[0].times == 9
        assert result.lived == [], "nothing is done"
        assert "nothing switches mister/switch off again; add [[ends]]" in result.advice
        assert result.edges[0].text == "80.0 % under 82 %, held for 10 min"
        lower = hub.automations.replay(TEXT, start=begun, end=begun + 10 * HOUR, limit="79 %")
        assert (lower.starts, lower.limit) == (0, 79)
        never = hub.automations.replay(TEXT, start=1, end=HOUR)
        assert (never.known_from, never.starts, never.a_week) == (None, 0, 0)
        assert hub.entities.get("mister/switch").value == 0
    for body, said in (
        ({"text": "name = 1"}, "mistake"),
        ({"text": TEXT, "limit": "warm"}, "not a number"),
        ({"text": TEXT, "start": 5, "end": 4}, "start must come before end"),
        ({"text": TEXT, "start": 1, "end": 9_000_000_000_000}, "400 days"),
        ({"text": TEXT, "start": 1, "end": 2**60}, "out of range"),
        ({"text": TEXT.replace("under", "is"), "limit": "80 %"}, "with over or under"),
    ):
        refused = call(service, "POST", "/api/automations/replay", json=body)
        assert refused.status_code in (400, 422), refused.text
        assert said in refused.text


def test_why_and_why_not(service: Service, begun: int) -> None:
    with service.hub() as hub:
        zone = hub.house().time_zone

        def lines(minute: float) -> tuple[str, list[tuple[bool | None, str]]]:
            result = hub.automations.why("cellar-too-dry", begun + round(minute * MIN))
            return result.phase, [(line.holds, line.text) for line in result.lines]

        phase, said = lines(16)
        assert phase == "holding"
        assert said[0][0] is True
        assert "was 80.0 %" in said[0][1]
        assert said[1][0] is False
        assert "for 6 min of 10 min, since" in said[1][1]
        phase, said = lines(72)
        assert said[-1] == (None, said[-1][1])
        assert "A reading of 84.0 % at" in said[-1][1]
        phase, said = lines(25)
        assert (phase, said[1][0]) == ("on", True)
        assert "It was on since" in said[1][1]
        phase, said = lines(35)
        assert (phase, said[0][0]) == ("idle", False)
        assert said[0][1].endswith("not under 82 %.")
        early = hub.automations.why("cellar-too-dry", begun - 40 * 24 * HOUR)
        assert early.lines[0].text == "Cellar rack humidity was not heard in the time before."
        with pytest.raises(Missing):
            hub.automations.why("cellar-too-wet")
        assert zone


def test_why_says_since_when_it_was_on_however_long_ago(service: Service, begun: int) -> None:
    """Readings of thirty days: damp for the last five; for the last twenty, it was not
    under 90 %; it was never under 95 %."""
    shed = let_in(service, description("Shed", **CLIMATE))
    now = round(time.time()) // 60 * 60
    pack = []
    for half_hours in range(30 * 48, 1, -1):
        days = half_hours / 48
        value = 85 if days < 5 else 60 if days < 20 else 91
        pack.append({"n": "humidity", "v": value, "t": now - 1800 * half_hours})
    for first in range(0, len(pack), 300):
        assert shed.post(pack[first : first + 300]).is_success
    watch = 'name = "{0}"\n[watch]\nentity = "shed/humidity"\n{1}\n[[starts]]\n'
    notify = 'notify = "everyone"\ntitle = "x"\n'
    earlier, oldest = (now - 3600) * 1000, (now - 31 * 86_400) * 1000
    with service.hub() as hub:
        until(lambda: hub.entities.numbers("shed/humidity", start=oldest).count == len(pack))
        sentences = {}
        for name, limit in (
            ("Damp", 'over = "70 %"'),
            ("Not wet", 'under = "90 %"'),
            ("Never wet", 'under = "95 %"'),
        ):
            added = hub.automations.add(watch.format(name, limit) + notify)
            result = hub.automations.why(added.automation, earlier)
            sentences[name] = result.sentence
            assert result.phase == "on"
            assert any(result.sentence.split(", ")[-1] in line.text for line in result.lines)
        assert sentences["Damp"].endswith(f"it was on, since {when(now - 5 * 86_400 + 1800)}.")
        assert sentences["Not wet"].endswith(f"since {when(now - 20 * 86_400 + 1800)}.")
        assert sentences["Never wet"].endswith(" at least.")
        # What is on now is on since it started, whatever it would have done before.
        shed.post([{"n": "humidity", "v": 86}])
        until(lambda: hub.automations.get("damp").phase == "on")
        since = hub.automations.get("damp").since
        assert f"since {time.strftime('%H:%M', time.gmtime(since / 1000))}." in (
            hub.automations.why("damp").sentence
        )
        for name in ("damp", "not-wet", "never-wet"):
            hub.automations.remove(name)


def when(seconds: float) -> str:
    return time.strftime("%d %b %H:%M", time.gmtime(seconds))


def test_the_account_says_what_was_done_and_what_came_of_it(service: Service, begun: int) -> None:
    rack = let_in(service, description("Loft rack", **CLIMATE))
    plug = let_in(service, description("Loft plug", **PLUG))
    text = (
        'name = "Loft damp"\n[watch]\nentity = "loft-rack/humidity"\nover = "70 %"\n'
        '[[starts]]\nswitch = "loft-plug/switch"\nto = "on"\n'
        '[[starts]]\nnotify = "everyone"\ntitle = "Damp"\n'
    )
    with service.hub() as hub, plug.connected():
        hub.automations.add(text)
        before = hub.automations.why("loft-damp")
        assert (before.edge, before.done) == ("", [])
        rack.post([{"n": "humidity", "v": 75}])
        found = until(lambda: len((w := hub.automations.why("loft-damp")).done) == 2 and w)
        assert found.edge.startswith("Loft damp started: 75.0 % over 70 %")
        done = {one.text.split(",")[0]: (one.done, one.took_ms < 5_000) for one in found.done}
        assert done.pop("loft-plug/switch is on") == (True, True)
        ((unsent, result),) = done.items()
        assert "reached nobody" in unsent
        assert result == (False, True)
        rack.post([{"n": "humidity", "v": 60}])
        over = until(lambda: "ended" in (w := hub.automations.why("loft-damp")).edge and w)
        assert over.done == [], "what follows belongs to the end"
        at = found.done[0].at
        assert hub.automations.why("loft-damp", at).edge == found.edge
    told = service.hombi("why", "loft-damp").stdout
    assert "\n\nLoft damp ended" in told
    assert "nothing was done." in told
    with service.hub() as hub:
        hub.automations.remove("loft-damp")


def test_a_day_has_a_line_for_each_part(service: Service, begun: int) -> None:
    with service.hub() as hub:
        result = hub.automations.replay(TEXT, start=begun, end=begun + 2 * HOUR)
        (lane,) = result.lanes
        assert lane.text == "Cellar rack humidity under 82 %"
        said = zip([(at - begun) // MIN for at in lane.since], lane.said, strict=True)
        assert list(said)[:5] == [(0, False), (10, True), (30, False), (40, True), (45, False)]
        assert hub.automations.replay(TEXT, start=begun, end=begun + 72 * HOUR).lanes == []


def test_one_place_of_a_text_is_changed(service: Service, begun: int) -> None:
    with service.hub() as hub:
        made = hub.automations.edit(TEXT, ("watch", "under"), "80 %")
        assert made.text == TEXT.replace('"82 %"', '"80 %"')
        assert made.ok
        assert "under 80 %" in made.sentence
        odd = hub.automations.edit(TEXT, ("watch", "held"), "soon")
        assert not odd.ok
        with pytest.raises(Wrong, match="there is no"):
            hub.automations.edit(TEXT, ("ends", 0, "to"), "off")
        with pytest.raises(HubProblem, match="not sound"):
            hub.automations.edit("[", ("name",), "x")


def test_on_the_command_line(service: Service, begun: int, tmp_path: Path) -> None:
    file = tmp_path / "dry.toml"
    file.write_text(TEXT.replace("82 %", "81 %"))
    told = service.hombi("automation", "replay", str(file), "--span", "day").stdout
    assert "would have started 9 times" in told
    assert "9 times it did not hold long enough." in told
    assert "! nothing switches mister/switch off again" in told
    assert "started: 80.0 % under 81 %, held for 10 min" in told
    kept = service.hombi("automation", "replay", "cellar-too-dry", "--json")
    assert json.loads(kept.stdout)[0]["starts"] == 9
    file.write_text(TEXT.replace("humidity", "humidty"))
    wrong = service.hombi("automation", "replay", str(file))
    assert wrong.returncode == 1
    assert "did you mean cellar-rack/humidity?" in wrong.stderr
    at = time.strftime("%Y-%m-%d %H:%M", time.gmtime(begun / 1000 + 16 * 60)) + "+00:00"
    why = service.hombi("why", "cellar-too-dry", "--at", at).stdout
    assert "it was still holding, for another 4 min." in why
    assert " yes  Cellar rack humidity was 80.0 %" in why
    assert service.hombi("why", "cellar-too-dry", "--at", "yesterday 02:10").returncode == 0
    assert service.hombi("why", "cellar-too-dry", "--at", "soon").returncode == 2


def test_a_rehearsal_touches_nothing(service: Service, begun: int) -> None:
    text = TEXT + 'for = "5 min"\n\n[[starts]]\nwait = "20 min"\n'
    text += '[[starts]]\nnotify = "everyone"\ntitle = "{value}"\n'
    with service.hub() as hub:
        values = [PretendValue(value="84 %"), PretendValue(after="5 min", value="81")]
        result = hub.automations.rehearse(text, values)
        assert [(step.after_ms // MIN, step.edge, step.effects) for step in result.steps] == [
            (15, "start", ["Mister on"]),
            (20, "", ["Mister off"]),
            (35, "", ["tell everyone “81.0 %”"]),
        ]
        assert result.steps[0].text == "81.0 % under 82 %, held for 10 min"
        # What nobody pretends is as it is now.
        for state, starts in (("off", 1), ("on", 0)):
            only = f'[only]\nwhen = [{{ entity = "mister/switch", is = "{state}" }}]\n'
            beside = hub.automations.rehearse(TEXT + only, [PretendValue(value="81 %")])
            assert len(beside.steps) == starts
        on = PretendValue(entity="mister/switch", value="on")
        assert hub.automations.rehearse(TEXT + only, [PretendValue(value="81 %"), on]).steps
        bad = hub.automations.rehearse(text, [*values, PretendValue(after="8 min", value="bad")])
        assert bad.steps == []
        assert hub.entities.get("mister/switch").value == 0
        for wrong, said in (
            ({"value": "warm"}, "is not a number"),
            ({"value": "81 hPa"}, "humidity"),
            ({"value": "81 %", "after": "soon"}, "soon"),
            ({"value": "81 %", "after": "40 d"}, "2 d at most"),
            ({"value": "81 %", "entity": "mister/power"}, "does not look at mister/power"),
        ):
            with pytest.raises(HubProblem, match=said):
                hub.automations.rehearse(text, [PretendValue(**wrong)])
    told = service.hombi("automation", "rehearse", "cellar-too-dry", "84 %", "5 min=81 %").stdout
    assert "after 15 min" in told
    assert "started: 81.0 % under 82 %, held for 10 min\n  Mister on\n" in told
    assert (
        "Nothing happens."
        in service.hombi("automation", "rehearse", "cellar-too-dry", "84 %").stdout
    )
    night = service.hombi(
        "automation", "rehearse", "cellar-too-dry", "cellar-rack/humidity=81 %", "--at", "22:00"
    )
    assert "22:10" in night.stdout


def test_its_actions_are_run_alone(service: Service, begun: int) -> None:
    with service.hub() as hub:
        hub.automations.run("cellar-too-dry")
        until(lambda: hub.entities.get("mister/switch").wanted is not None)
        assert hub.entities.get("mister/switch").wanted.shown.startswith("wanted on")
        assert hub.automations.get("cellar-too-dry").phase == "idle"
        assert "the start actions of Cellar too dry were run" in [e.text for e in hub.journal()]
        with pytest.raises(HubProblem, match="has no end actions"):
            hub.automations.run("cellar-too-dry", "end")
    ran = service.hombi("automation", "run", "cellar-too-dry", "--yes")
    assert ran.stdout == "The start actions of Cellar too dry were run.\n"


def test_a_starter_takes_its_first_values_from_this_house(service: Service, begun: int) -> None:
    with service.hub() as hub:
        starters = {starter.starter: starter for starter in hub.automations.starters()}
        assert len(starters) >= 15
        assert [blank.name for blank in starters["dry-room"].blanks][:3] == [
            "name",
            "sensor",
            "switch",
        ]
        limit, until_ = hub.automations.first_values("dry-room", "cellar-rack/humidity")
        assert (limit.blank, limit.value, until_.value) == ("limit", "80 %", "80 %")
        assert limit.reason == "it lay under 80 % for 5 % of the last 30 days here"
        assert hub.automations.first_values("leak", "cellar-rack/humidity") == []
        blanks = {"name": "Dry", "sensor": "cellar-rack/humidity", "switch": "mister/switch"}
        made = hub.automations.fill("dry-room", {**blanks, "limit": "80 %", "until": "83 %"})
        assert made.ok
        assert "is under 80 %, until it is back over 83 %: Mister on" in made.sentence
        for wrong, said in (({}, "too dry under is empty"),):
            with pytest.raises(HubProblem, match=said):
                hub.automations.fill("dry-room", {**blanks, **wrong})
        with pytest.raises(Missing, match="there is no starter"):
            hub.automations.fill("coffee", {})
    listed = service.hombi("automation", "starter").stdout
    assert "dry-room" in listed
    told = service.hombi("automation", "starter", "dry-room").stdout
    assert "sensor" in told
    assert "the room's humidity" in told
    words = [
        f"{key}={value}" for key, value in {**blanks, "limit": "80 %", "until": "83 %"}.items()
    ]
    made_text = service.hombi("automation", "starter", "dry-room", *words)
    assert made_text.stdout == made.text
    lacking = service.hombi("automation", "starter", "dry-room", "name=x")
    assert (lacking.returncode, "is empty" in lacking.stderr) == (2, True)


def test_a_clock_is_looked_back_at_too(service: Service, begun: int) -> None:
    text = 'name = "Mist"\n[watch]\nat = "12:00"\nlasts = "1 h"\n[[starts]]\n'
    text += 'switch = "mister/switch"\nto = "on"\nfor = "5 min"\n'
    with service.hub() as hub:
        result = hub.automations.replay(text, start=begun, end=begun + 3 * 24 * HOUR)
        assert (result.starts, result.entity, result.entities) == (3, "", [])
        assert result.on_ms == 3 * HOUR
        assert [(effect.text, effect.times) for effect in result.effects] == [
            ("Mister on", 3), ("Mister off", 3),
        ]  # fmt: skip
        made = hub.automations.add(text)
        assert (made.watch, made.due is not None) == (None, True)
        why = hub.automations.why("mist", begun)
        assert why.lines[0].text.startswith("At 12:00, for 1 h; the next time is ")
        midnight = begun // (24 * HOUR) * 24 * HOUR  # at any other time of the day, it may be noon
        said = [PretendValue(value="x")]
        steps = hub.automations.rehearse(text, said, lasts="1 d", at=midnight).steps
        assert [step.edge for step in steps] == ["start", "", "end"]
        hub.automations.remove("mist")


def test_texts_in_a_folder(service: Service, begun: int, tmp_path: Path) -> None:
    folder = tmp_path / "texts"
    pulled = service.hombi("automation", "pull", str(folder))
    assert pulled.stdout == "cellar-too-dry is written\n"
    file = folder / "cellar-too-dry.toml"
    assert file.read_bytes() == TEXT.encode()
    assert "the same" in service.hombi("automation", "diff", str(folder)).stdout
    assert "Nothing to do" in service.hombi("automation", "push", str(folder)).stdout
    changed = TEXT.replace("82 %", "81 %").replace("\n", "\r\n")
    file.write_bytes(changed.encode())
    damp = TEXT.replace("Cellar too dry", "Damp")
    (folder / "damp.toml").write_text(damp.replace("under", "ovr"))
    told = service.hombi("automation", "diff", str(folder)).stdout
    assert '-under = "82 %"' in told
    assert '+under = "81 %"' in told
    assert "damp is in the folder only" in told
    refused = service.hombi("automation", "push", str(folder))
    assert (refused.returncode, "Nothing was changed." in refused.stderr) == (1, True)
    assert "damp.toml:" in refused.stderr
    with service.hub() as hub:
        assert hub.automations.get("cellar-too-dry").text == TEXT
        (folder / "damp.toml").write_text(damp)
        pushed = service.hombi("automation", "push", str(folder))
        assert pushed.stdout == "damp is taken over\ncellar-too-dry is taken over\n"
        assert hub.automations.get("cellar-too-dry").text == changed, "to the byte"
        file.write_bytes(TEXT.encode())
        (folder / "damp.toml").unlink()
        pushed = service.hombi("automation", "push", str(folder), "--remove")
        assert pushed.stdout == "cellar-too-dry is taken over\ndamp is removed\n"
        assert [one.automation for one in hub.automations.list()] == ["cellar-too-dry"]


def test_of_limits_that_are_tried_one_after_another_the_last_one_is_answered() -> None:
    turns = Turns()
    first, other = turns.begin("ada", "text"), turns.begin("ben", "text")
    assert not first()
    second = turns.begin("ada", "text")
    assert (first(), second(), other()) == (True, False, False)
    for number in range(2 * Turns.MOST):
        turns.begin("ada", f"text {number}")
    said = [Reading(n * 60_000, 0, 80.0, 80.0) for n in range(5_000)]
    courses = {one: Course("", "", KINDS["humidity"], said) for one in ("a/b", "c/d")}
    facts = HouseFacts(
        {course: EntityFacts(KINDS["humidity"], writable=False) for course in courses}
    )
    text = (
        'name = "x"\n[watch]\nall = [ { entity = "a/b", over = "85 %" }, '
        '{ entity = "c/d", over = "85 %" } ]\n[[starts]]\nnotify = "everyone"\ntitle = "x"\n'
    )
    program = parse(text, facts).program
    assert program is not None
    asked = iter([False, True])
    with pytest.raises(Overtaken):
        replay(program, courses, 0, 10**9, UTC, lambda: next(asked))


def test_what_a_person_set_is_known_to_pages_replays_and_accounts(service: Service) -> None:
    contact = {"type": "boolean", "readOnly": True, "title": "Contact", "@type": "contact"}
    door = let_in(service, description("Attic door", contact=contact))
    lamp = let_in(service, description("Attic lamp", **PLUG))
    lamp.post([{"n": "switch", "vb": False}])
    door.post([{"n": "contact", "vb": False}])
    text = """name = "Attic light"
[watch]
entity = "attic-door/contact"
is = "open"
[[starts]]
switch = "attic-lamp/switch"
to = "on"
[[ends]]
switch = "attic-lamp/switch"
to = "off"
"""
    begun = round(time.time() * 1000)
    with service.hub() as hub:
        hub.automations.add(text)
        door.post([{"n": "contact", "vb": True}])
        until(lambda: hub.automations.get("attic-light").phase == "on")
        setting = threading.Thread(target=hub.entities.set, args=("attic-lamp/switch", "off"))
        setting.start()
        until(lambda: hub.entities.get("attic-lamp/switch").left_alone)
        lamp.post([{"n": "switch", "vb": False}])
        setting.join(30)
        while_on = round(time.time() * 1000)
        assert hub.automations.get("attic-light").left_alone == ["attic-lamp/switch"]
        said = [line.text for line in hub.automations.why("attic-light").lines]
        hand = [one for one in said if "it leaves that alone until it starts again" in one]
        assert hand[0].startswith("Attic lamp was set by command line at "), said
    service.stop()
    service.start()
    with service.hub() as hub:
        assert hub.entities.get("attic-lamp/switch").left_alone
        door.post([{"n": "contact", "vb": False}])
        until(lambda: hub.automations.get("attic-light").phase == "idle")
        again = hub.automations.replay(text, start=begun, end=round(time.time() * 1000))
        assert (again.starts, sum(effect.times for effect in again.effects)) == (1, 1)
        past = hub.automations.why("attic-light", while_on)
        assert past.phase == "on"
        assert any("Attic lamp was set by command line" in line.text for line in past.lines)
        door.post([{"n": "contact", "vb": True}])
        until(lambda: not hub.entities.get("attic-lamp/switch").left_alone)
        hub.automations.remove("attic-light")
