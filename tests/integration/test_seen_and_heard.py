"""What comes with a notice: the picture of a camera, and a sound."""

from __future__ import annotations

import io
import socket
import threading
import wave

import httpx

from hombi.lab.phone import LabPhone
from hombi.lab.physics import Mill
from hombi.lab.thing_plans import speaker_plan
from hombi.lab.web_thing import WebThing
from tests.cameras import PNG, SEEN, camera, says
from tests.house import Joined, Service, free_ports, until
from tests.phones import add_phone, served


def test_a_picture_comes_with_a_notice_and_holds_nothing_up(
    service: Service, rack: Joined, push: tuple[LabPhone, int]
) -> None:
    """The phone has the notice at once, and sees the picture with the right that came
    with it; nobody else sees anything."""
    phone, port = push
    add_phone(service, phone, port)
    asked = threading.Event()

    def slowly(one: socket.socket) -> None:
        asked.wait(20)
        says("200 OK", f"Content-Type: text/html\r\nContent-Length: {len(PNG)}", PNG)(one)

    with camera(slowly) as address, service.hub() as hub, httpx.Client() as http:
        hub.automations.add(SEEN.replace("ADDRESS", address))
        rack.post([{"n": "humidity", "v": 95}])
        (notice,) = until(lambda: phone.notices)
        until(lambda: hub.contacts.notices()[0].state == "delivered")
        path = notice["picture"]
        threading.Timer(0.5, asked.set).start()
        result = http.get(service.url + path, timeout=20)
        assert (result.status_code, result.content) == (200, PNG)
        assert result.headers["content-type"] == "image/png", "not what the camera says"
        assert result.headers["x-content-type-options"] == "nosniff"
        number, _, mac = path.rpartition("/")[2].split(".")
        others = (f"{int(number) + 1}.picture.{mac}", f"{number}.off.{mac}")
        for wrong in (*others, "1.picture.x", "x", "é.picture."):
            answer = http.get(f"{service.url}/api/notices/pictures/{wrong}")
            assert answer.status_code in (404, 409)
        right = path.rpartition("/")[2]
        refused = http.post(f"{service.url}/api/notices/press", json={"right": right})
        assert "no such button" in refused.json()["detail"]
        assert hub.contacts.notices()[0].picture == path
        # A camera that is none: the notice comes, and the journal says why without.
        hub.automations.remove("yard")
        rack.post([{"n": "humidity", "v": 50}])
        until(lambda: [notice for notice in phone.notices if notice["quiet"]])  # it is over
        phone.notices.clear()
        with camera(says("200 OK", "Content-Length: 5", b"hello")) as other:
            hub.automations.add(SEEN.replace("ADDRESS", other))
            rack.post([{"n": "humidity", "v": 95}])
            (notice,) = until(lambda: phone.notices)
            why = "its notice has no picture: what the camera sent is not a picture"
            until(lambda: [e for e in hub.journal(event="ActionFailed") if why in e.text])
            assert http.get(service.url + notice["picture"]).status_code == 404
            assert hub.contacts.notices()[0].picture == "", "nobody looks for it"
        hub.automations.remove("yard")
        for wrong, why in (
            ("http://93.184.216.34/now.jpg", "is not in the house"),
            ("file:///etc/passwd", "write its address like"),
            ("http://[::1", "is not an address"),
        ):
            mistakes = hub.automations.check(SEEN.replace("ADDRESS", wrong)).mistakes
            assert why in mistakes[0].what
        said = hub.automations.check(SEEN.replace("notify", "announce").replace("ADDRESS", address))
        assert "'picture' means nothing here" in said.mistakes[0].what
        for known in hub.contacts.list():
            hub.contacts.remove(known.id)


def test_a_loudspeaker_that_plays_is_given_the_address_of_a_sound(own_service: Service) -> None:
    (port,) = free_ports(1)
    speaker = WebThing(speaker_plan(port), Mill(7, 0.0))
    own_service.start().sign_in_first()
    with served(speaker.routes(), port), own_service.hub() as hub:
        arrival = hub.pairing.look(f"http://127.0.0.1:{port}{speaker.path}")
        hub.pairing.admit(arrival.id, "", room="Terrace")
        offered = {loudspeaker.address for loudspeaker in hub.contacts.loudspeakers()}
        assert offered == {"terrace-loudspeaker/say/text", "terrace-loudspeaker/play/address"}
        contact = hub.contacts.add("loudspeaker", "terrace-loudspeaker/play/address", "terrace")
        hub.contacts.test(contact.id)
        until(lambda: hub.contacts.notices()[0].state == "delivered")
        (sound,) = speaker.played
        with wave.open(io.BytesIO(sound)) as spoken:
            assert spoken.getnframes() / spoken.getframerate() > 1, "it says something"
        (_, given), *_ = speaker.done
        address = given["address"]
        assert address.startswith("http://")
        right = address.rpartition("/")[2]
        other = "1" if right.endswith("0") else "0"
        for wrong in (right[:-1] + other, right.replace("sound", "picture"), "x"):
            assert httpx.get(f"{own_service.url}/api/notices/sounds/{wrong}").status_code >= 404
        # A voice that there is not: it is said, and tried again.
        (own_service.data / "hombi.toml").write_text('[notices]\nvoice = "martian"\n')
        until(lambda: list(hub.journal(event="SettingsChanged")))
        hub.contacts.test(contact.id)
        until(lambda: "espeak-ng: " in hub.contacts.notices()[0].problem)
        assert hub.contacts.notices()[0].state == "waiting"
    own_service.stop()
