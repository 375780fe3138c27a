"""Who is home, over the API and on the command line; automations that put others on
duty, wait for something, and go by the sun."""

from __future__ import annotations

import pytest

from hombi.client import Hub, HubProblem, Missing
from tests.house import CLIMATE, OWNER, PASSWORD, PLUG, Service, description, let_in, until

LAMP = """name = "Lamp by night"
again = "skip"
[watch]
at = "sunset - 20 min"
lasts = "3 h"
[only]
home = "anyone"
dates = ["10-01..03-31"]
[[starts]]
wait_until = { entity = "cellar-rack/humidity", over = "60 %" }
at_most = "1 h"
otherwise = "stop"
[[starts]]
branch = [
  { when = { entity = "hen-lamp/switch", is = "on" }, notify = "everyone", title = "It is on" },
  { switch = "hen-lamp/switch", to = "on" },
]
[[starts]]
duty = "Other"
to = "on"
"""
OTHER = """name = "Other"
[watch]
entity = "cellar-rack/humidity"
silent = "2 h"
[[starts]]
notify = "everyone"
title = "{entity} is {held} silent"
"""


def test_the_household_says_who_is_home_and_automations_go_by_it(own_service: Service) -> None:
    service = own_service.start()
    service.sign_in_first()
    rack = let_in(service, description("Cellar rack", **CLIMATE))
    let_in(service, description("Hen lamp", **PLUG), "Hen house")
    assert rack.post([{"n": "humidity", "v": 50}]).is_success
    with service.hub() as hub:
        (person,) = hub.presence.list()
        assert (person.home, person.entity, person.linger) == (None, None, "10 min")
        said = {mistake.what for mistake in hub.automations.check(LAMP).mistakes}
        assert any("where the house is" in one for one in said)
        assert any("nobody has said yet" in one for one in said)
        assert any("no automation Other" in one for one in said)
        assert hub.house().where is None
        where = hub.change_house(where=(53.1, 9.2)).where
        assert where is not None
        assert (where.latitude, where.longitude) == (53.1, 9.2)
        with pytest.raises(Missing, match="nobody here is called ghost"):
            hub.presence.say("ghost", home=True)
        with pytest.raises(HubProblem):
            hub.presence.follow(person.person, ["cellar-rack/nothing"])
        hub.automations.add(OTHER)
        hub.automations.duty("other", False)
    assert service.hombi("person", "home").stdout == f"{person.person} is home.\n"
    assert "home" in service.hombi("person", "list").stdout
    told = service.hombi("person", "follow", person.person, "hen-lamp/switch", "--linger", "5 min")
    assert "is told by hen-lamp/switch" in told.stdout
    with service.hub() as hub:
        (person,) = hub.presence.list()
        assert (person.home, person.linger) == (True, "5 min")
        made = hub.automations.add(LAMP)
        assert made.sentence.startswith("At 20 min before sunset, for 3 h, only from 1 Oct")
        hub.automations.run(made.automation)
        rack.post([{"n": "humidity", "v": 70}])
        until(lambda: hub.entities.get("hen-lamp/switch").wanted is not None)
        until(lambda: hub.automations.get("other").enabled)
        texts = [entry.text for entry in hub.journal()]
        assert "other is on duty" in texts
        replayed = hub.automations.replay(LAMP)
        assert replayed.starts == 0, "nobody was home in the past that is known"


@pytest.mark.parametrize(
    "name", ["..", ".", "everyone", "House", "hub", "\u0430d\u0430", "ADA", "@@"]
)
def test_nobody_is_called_what_texts_and_addresses_mean_otherwise(
    service: Service, name: str
) -> None:
    with service.hub() as hub:
        code = hub.people.invite("adult").code
    with Hub(service.url) as hub, pytest.raises(HubProblem, match=r"called|Enter a valid"):
        hub.people.join(code, name, PASSWORD)
    with service.hub() as hub:
        assert name not in {one.username for one in hub.people.list()} - {OWNER}


def test_a_wall_shows_a_page_that_is_there(service: Service) -> None:
    with service.hub() as hub, pytest.raises(HubProblem, match="no page nowhere"):
        hub.people.invite("wall", dashboard="nowhere")
