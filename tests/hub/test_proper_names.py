"""Names that hold what nobody can see: refused wherever a name is given."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from hombi.hub.acting.scenes import RecordScene
from hombi.hub.errors import Invalid
from hombi.hub.kernel import Change
from hombi.hub.nodes.admission import AdmitArrival, EntityChoice
from hombi.hub.nodes.entities import ChangeEntity
from hombi.hub.nodes.feature import ChangeNode
from hombi.hub.notices.contacts import AddContact
from hombi.hub.notices.port import PhoneRecord
from hombi.hub.rooms.dashboards import AddDashboard, ArrangeDashboard
from hombi.hub.rooms.feature import AddFloor, AddRoom, ChangeFloor, ChangeRoom
from tests.house import description
from tests.hub.parts import rig

# A cleared screen, a NUL, a second line, a turned line, and a noncharacter.
ODD = ["\x1b[2J", "\0", "\n", "\u202e", "\ufffe"]
SWITCH = "cellar-mister/switch"
GIVEN: dict[str, Callable[[str], Change]] = {
    "floor": AddFloor,
    "floor changed": lambda name: ChangeFloor("Ground floor", name=name),
    "room": AddRoom,
    "room of a node": lambda name: ChangeNode("cellar-mister", room=name),
    "room changed": lambda name: ChangeRoom("Cheese cellar", name=name),
    "node": lambda name: ChangeNode("cellar-mister", name),
    "entity": lambda name: ChangeEntity(SWITCH, title=name),
    "dashboard": lambda name: AddDashboard(name, []),
    "dashboard changed": lambda name: ArrangeDashboard("evening", [], title=name),
    "scene": lambda name: RecordScene(name, [SWITCH]),
    "mail": lambda name: AddContact(
        PhoneRecord(0, name, "ada", "a@mill.example", "", "", 0, "mail")
    ),
}


@pytest.mark.parametrize("odd", ODD, ids=ascii)
@pytest.mark.parametrize("what", GIVEN)
async def test_a_name_that_holds_what_nobody_sees_is_refused(what: str, odd: str) -> None:
    async with rig() as r:
        await r.cellar()
        await r.do(AddDashboard("Evening", []))
        with pytest.raises(Invalid, match=rf"a sign that cannot be seen \(U\+{ord(odd[0]):04X}\)"):
            await r.do(GIVEN[what](f"The{odd}mill"))


@pytest.mark.parametrize(
    "name", ["Käsekeller", "奥の間", "خانه\u200cی کوچک", "👩\u200d🌾 & ❤\ufe0f", "a/b <i>"]
)
async def test_every_script_and_sign_that_is_seen_may_be_in_a_name(name: str) -> None:
    async with rig() as r:
        await r.cellar()
        node = await r.do(ChangeNode("cellar-mister", f" {name} "))
        assert node.title == name


@pytest.mark.parametrize("odd", ODD, ids=ascii)
async def test_a_value_is_not_let_in_under_a_name_that_holds_what_nobody_sees(odd: str) -> None:
    async with rig() as r:
        r.hub.pairing.open_window(60_000)
        thing = description("Weir", depth={"type": "number", "readOnly": True})
        arrival, _ = await r.hub.pairing.ask(thing, "0" * 64)
        arrival.record.proof = ""
        names = {"depth": EntityChoice(title=f"De{odd}pth")}
        with pytest.raises(Invalid, match="the name of a value holds a sign that cannot be seen"):
            await r.do(AdmitArrival(arrival.record.id, "", "Weir", "", entities=names))
        assert "weir" not in r.hub.house.nodes
        names = {"depth": EntityChoice(title="Depth")}
        await r.do(AdmitArrival(arrival.record.id, "", "Weir", "", entities=names))
        assert r.hub.house.entities["weir/depth"].title == "Depth"
