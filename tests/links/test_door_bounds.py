"""What one account may take of the door: bytes, sessions, connections, pace."""

from __future__ import annotations

import os

import pytest

from hombi.links.wifi.mqtt import door
from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt import session as s
from tests.links.door_rig import House

# For how long a node does its worst; `make soak` has it do so for longer.
MINUTES = int(os.environ.get("MINUTES", "1"))


def test_what_waits_is_bounded_in_bytes_for_a_session_an_account_and_in_all(house: House) -> None:
    big = b"x" * 200_000
    for client in range(8):
        sleeper, _ = house.enter("watcher", clean=False, client=f"s{client}")
        house.say(sleeper, p.Subscribe(1, (("rack/#", 1),)), p.Disconnect())
    for _ in range(100):
        house.door.route(p.Publish("rack/readings", big, 1))
    assert house.door.ledger.total <= house.door.ledger.each
    waiting = [key for key in house.host.kept if key.startswith("message/")]
    assert 0 < len(waiting) <= house.door.ledger.each // len(big)
    house.door.expel("watcher")
    assert house.door.ledger.total == 0
    assert house.host.kept == {}


def test_a_deaf_client_is_sent_no_more_bytes_than_it_may_have_on_the_way(house: House) -> None:
    deaf, wire = house.enter("mister")
    house.say(deaf, p.Subscribe(1, (("mister/wanted", 1),)))
    wire.take()
    for _ in range(20):
        house.door.route(p.Publish("mister/wanted", b"x" * 200_000, 1))
    assert len(wire.take()) == s.MAX_INFLIGHT_BYTES // 200_000


def test_one_account_ends_its_own_sessions_and_nobody_elses(house: House) -> None:
    other, _ = house.enter("mister", clean=False)
    house.say(other, p.Subscribe(1, (("mister/wanted", 1),)), p.Disconnect())
    for number in range(door.MAX_SESSIONS + 50):
        connection, _ = house.enter("rack", clean=False, client=f"c{number}")
        house.say(connection, p.Disconnect())
    _, wire = house.enter("mister", clean=False)
    assert wire.take() == [p.Connack(0, True)]
    assert (
        len([key for key in house.host.kept if key.startswith("rack\0")])
        == door.MAX_ACCOUNT_SESSIONS
    )


@pytest.mark.parametrize(("level", "code"), [(4, p.UNAVAILABLE), (5, p.QUOTA)])
def test_an_account_has_only_so_many_connections(house: House, level: int, code: int) -> None:
    for number in range(door.MAX_ACCOUNT_SESSIONS):
        house.enter("rack", client=f"c{number}")
    _, wire = house.knock(
        p.Connect("one-more", level, username="rack", password=b"right"), level=level
    )
    refused = wire.take()[0]
    assert isinstance(refused, p.Connack)
    assert refused.code == code
    assert wire.closed
    house.enter("mister")


def test_an_account_has_one_pace_over_all_its_connections(house: House) -> None:
    connections = [house.enter("rack", client=f"c{number}")[0] for number in range(10)]
    for connection in connections:
        house.say(connection, *[p.Publish("rack/readings", b"1")] * 1_000)
    assert len(house.host.heard) == 2_000


@pytest.mark.parametrize(("account", "heard"), [("rack", 2_000 // 196), ("mister", 100)])
def test_a_large_message_costs_the_pace_that_its_account_says(
    house: House, account: str, heard: int
) -> None:
    connection, _ = house.enter(account)
    for _ in range(100):
        house.say(connection, p.Publish(f"{account}/readings", b"x" * 100_000))
    assert len(house.host.heard) == heard


def test_asking_again_and_again_costs_pace_too(house: House) -> None:
    rack, wire = house.enter("rack")
    wire.take()
    for number in range(1, 1_000):
        house.say(rack, p.Subscribe(number, (("rack/#", 1),)))
    assert len(wire.take()) < 400
    assert not wire.closed


def test_an_account_has_only_so_many_subscriptions(house: House) -> None:
    granted = []
    for client in range(4):
        rack, wire = house.enter("rack", client=f"c{client}")
        wire.take()
        house.say(rack, p.Subscribe(1, tuple((f"rack/{n}", 0) for n in range(99))))
        (answer,) = wire.take()
        assert isinstance(answer, p.Suback)
        granted += [code for code in answer.codes if code == 0]
    assert len(granted) == door.MAX_ACCOUNT_SUBSCRIPTIONS


def test_a_session_that_is_not_to_be_kept_any_more_leaves_nothing_behind(house: House) -> None:
    sleeper, _ = house.enter5("mister", clean=False, session_expiry=600)
    house.say(sleeper, p.Subscribe(1, (("mister/wanted", 1),)))
    sleeper.close()
    house.door.route(p.Publish("mister/wanted", b"on", 1))
    assert len(house.host.kept) == 2
    back, wire = house.enter5("mister", clean=False)
    assert any(isinstance(one, p.Publish) for one in wire.take())
    assert house.host.kept == {}
    back.close()
    assert house.host.kept == {}


def test_what_an_earlier_version_kept_for_a_sleeper_is_delivered(house: House) -> None:
    """As 0.3 stored it: all messages within the session's snapshot, and a subscription
    of 0.1 as a bare number."""
    house.door.restore(
        {
            "mister\0c": {
                "expiry": 0xFFFFFFFF,
                "subscriptions": {"mister/wanted": [1, False, False, 0], "mister/other": 1},
                "inflight": [["mister/wanted", "b24=", 1, 7, {}]],
                "waiting": [
                    ["mister/wanted", "b2Zm", 1, 0, {}, None],
                    ["mister/wanted", "bGF0ZQ==", 1, 0, {}, 0.5],
                ],
                "received": [],
                "last_id": 7,
            }
        },
        0.0,
    )
    assert [
        state["message"][1]
        for key, state in sorted(house.host.kept.items())
        if key.startswith("message/")
    ] == [
        "b24=",
        "b2Zm",
        "bGF0ZQ==",
    ]
    assert "waiting" not in house.host.kept["mister\0c"]
    again = House()
    again.door.restore(house.host.kept)
    _, wire = again.enter("mister", clean=False)
    payloads = [
        (packet.payload, packet.duplicate)
        for packet in wire.take()
        if isinstance(packet, p.Publish)
    ]
    assert payloads == [(b"on", True), (b"off", False), (b"late", False)]


def test_a_payload_is_kept_once_however_many_sessions_it_waits_in(house: House) -> None:
    for client in range(15):
        sleeper, _ = house.enter("rack", clean=False, client=f"s{client}")
        house.say(sleeper, p.Subscribe(1, (("rack/#", 1),)), p.Disconnect())
    speaker, _ = house.enter("rack", client="speaker")
    before = house.host.stored
    house.say(speaker, p.Publish("rack/picture", b"x" * 100_000, 1, retain=True, packet_id=1))
    assert house.host.stored - before < 1.5 * 100_000
    assert sum(key.startswith("payload/") for key in house.host.kept) == 1

    # After a restart it is all there, in each session; once it is taken everywhere, it
    # is kept no longer.
    house = house.restarted()
    for client in range(15):
        sleeper, wire = house.enter("rack", clean=False, client=f"s{client}")
        (sent,) = [one for one in wire.take() if isinstance(one, p.Publish)]
        assert sent.payload == b"x" * 100_000
        house.say(sleeper, p.Puback(sent.packet_id), p.Disconnect())
    assert sum(key.startswith("payload/") for key in house.host.kept) == 1, "it is retained"
    speaker, _ = house.enter("rack", client="speaker")
    house.say(speaker, p.Publish("rack/picture", b"", 0, retain=True))
    assert not [key for key in house.host.kept if key.startswith(("payload/", "message/"))]


def test_a_payload_that_no_message_has_or_that_is_lost_is_cleared_away(house: House) -> None:
    sleeper, _ = house.enter("rack", clean=False)
    house.say(sleeper, p.Subscribe(1, (("rack/#", 1),)), p.Disconnect())
    for number in range(3):
        house.door.route(p.Publish("rack/readings", bytes([number]) * 1000, 1))
    kept = house.host.kept
    payloads = sorted(key for key in kept if key.startswith("payload/"))
    (message,) = [key for key, state in kept.items() if state.get("payload") == payloads[0]]
    (other,) = [key for key, state in kept.items() if state.get("payload") == payloads[1]]
    del kept[payloads[0]], kept[other]  # as after a power cut and a bad page
    house = house.restarted()
    assert message not in house.host.kept
    assert [key for key in house.host.kept if key.startswith("payload/")] == payloads[2:]
    _, wire = house.enter("rack", clean=False)
    assert len([one for one in wire.take() if isinstance(one, p.Publish)]) == 1


def test_what_an_account_has_the_disk_written_is_bounded(house: House) -> None:
    """It publishes as fast as it may, retained and to its own sleepers."""
    for client in range(15):
        sleeper, _ = house.enter("rack", clean=False, client=f"s{client}")
        house.say(sleeper, p.Subscribe(1, (("rack/#", 1),)), p.Disconnect())
    speaker, _ = house.enter("rack", client="speaker")
    before, sent = house.host.stored, 0
    for tenth in range(10 * MINUTES * 60):
        while speaker.go_on(tenth / 10) is None and sent < 10 * tenth:
            body = sent.to_bytes(2, "big") * 50_000
            picture = p.Publish("rack/picture", body, 1, retain=True, packet_id=1 + sent % 9)
            house.say(speaker, picture, now=tenth / 10)
            sent += 1
    written = house.host.stored - before
    assert 1_000_000 < written < MINUTES * 60 * 1.4 * 64_000 + 2_000_000  # in base 64
    # Somebody else is as quick as ever.
    other, wire = house.enter("mister")
    house.host.at_once = True
    house.say(other, p.Publish("mister/readings", b"x" * 1000, 1, packet_id=7), now=60 * MINUTES)
    assert p.Puback(7) in wire.take()


def test_a_client_that_takes_nothing_slows_nobody_down(house: House) -> None:
    """What is kept for it is bounded, and who sends is read as fast as ever."""
    for client in ("deaf", "away"):
        one, _ = house.enter("watcher", clean=False, client=client)
        house.say(one, p.Subscribe(1, (("mister/#", 1),)))
        if client == "away":
            house.say(one, p.Disconnect())
    speaker, wire = house.enter("mister")
    house.host.at_once = True
    before = house.host.stored
    for number in range(300):
        body = number.to_bytes(2, "big") * 5_000
        sent = p.Publish("mister/readings", body, 1, packet_id=1 + number % 9)
        house.say(speaker, sent, now=number / 100)
    assert sum(isinstance(one, p.Puback) for one in wire.take()) == 300
    assert 500_000 < house.host.stored - before < 1.4 * ((2 << 20) + 3 * 64_000)
    assert any("more bytes than may be kept" in said for said in house.host.problems)
    _, wire = house.enter("watcher", clean=False, client="away")
    got = [one.payload[:2] for one in wire.take() if isinstance(one, p.Publish)]
    assert len(got) > 10, "what is kept comes to whoever takes it again"
