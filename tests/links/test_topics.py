from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hombi.core.topics import matches, valid_filter, valid_name
from hombi.links.wifi.mqtt.topics import KNOWN, KNOWN_LENGTH, Subscriptions


@pytest.mark.parametrize(
    ("name_filter", "name", "fits"),
    [
        # 4.7.1.2
        ("sport/tennis/player1/#", "sport/tennis/player1", True),
        ("sport/tennis/player1/#", "sport/tennis/player1/ranking", True),
        ("sport/tennis/player1/#", "sport/tennis/player1/score/wimbledon", True),
        ("sport/#", "sport", True),
        ("#", "sport/tennis", True),
        # 4.7.1.3
        ("sport/tennis/+", "sport/tennis/player1", True),
        ("sport/tennis/+", "sport/tennis/player1/ranking", False),
        ("sport/+", "sport", False),
        ("sport/+", "sport/", True),
        ("+/+", "/finance", True),
        ("/+", "/finance", True),
        ("+", "/finance", False),
        # 4.7.2
        ("#", "$SYS/monitor", False),
        ("+/monitor/Clients", "$SYS/monitor/Clients", False),
        ("$SYS/#", "$SYS/monitor", True),
        ("$SYS/monitor/+", "$SYS/monitor/Clients", True),
        # 4.7.3
        ("Accounts", "ACCOUNTS", False),
        ("a//b", "a//b", True),
        ("a/+/b", "a//b", True),
    ],
)
def test_matches_as_in_the_standards_examples(name_filter: str, name: str, fits: bool) -> None:
    assert matches(name_filter, name) is fits
    subscriptions = Subscriptions[int]()
    subscriptions.add(name_filter, "one", 1)
    assert bool(subscriptions.find(name)) is fits


@pytest.mark.parametrize(
    "name", ["sport+", "sport/tennis#", "sport/tennis/#/ranking", "", "a/b+/c", "/".join("a" * 40)]
)
def test_refuses_wrong_filters(name: str) -> None:
    assert not valid_filter(name)


@pytest.mark.parametrize(
    ("name", "valid"), [("a/b", True), ("/", True), ("", False), ("a/+", False), ("a/#", False)]
)
def test_names_have_no_wildcards(name: str, valid: bool) -> None:
    assert valid_name(name) is valid


def test_a_message_goes_to_each_holder_once_with_each_of_its_subscriptions() -> None:
    subscriptions = Subscriptions[int]()
    subscriptions.add("a/#", "one", 0)
    subscriptions.add("a/+", "one", 1)
    subscriptions.add("a/b", "two", 0)
    assert subscriptions.find("a/b") == {"one": [0, 1], "two": [0]}
    subscriptions.add("a/+", "one", 0)
    assert subscriptions.find("a/b") == {"one": [0, 0], "two": [0]}


levels = st.lists(st.sampled_from(["a", "b", "", "$x"]), min_size=1, max_size=4)
filters = st.lists(st.sampled_from(["a", "b", "", "+", "$x"]), min_size=1, max_size=4).flatmap(
    lambda found: st.sampled_from(["/".join(found), "/".join([*found, "#"])])
)


@given(st.lists(st.tuples(filters, st.booleans()), max_size=12), levels)
def test_the_tree_finds_what_matching_one_by_one_finds(
    changes: list[tuple[str, bool]], name: list[str]
) -> None:
    subscriptions, held, topic = Subscriptions[int](), set[str](), "/".join(name)
    for name_filter, add in changes:
        if add:
            subscriptions.add(name_filter, name_filter, 1)
            held.add(name_filter)
        else:
            subscriptions.remove(name_filter, name_filter)
            held.discard(name_filter)
        # Each time: what was found before a change says nothing after it.
        assert set(subscriptions.find(topic)) == {f for f in held if matches(f, topic)}
    for name_filter in held:
        subscriptions.remove(name_filter, name_filter)
    assert not subscriptions._root.children, "branches that nobody holds are cut"


def test_what_was_found_is_kept_for_few_and_short_names() -> None:
    subscriptions = Subscriptions[int]()
    subscriptions.add("a/#", "one", 1)
    for number in range(3 * KNOWN):
        assert subscriptions.find(f"a/{number}") == {"one": [1]}
        assert subscriptions.find(f"a/{'x' * KNOWN_LENGTH}{number}") == {"one": [1]}
    assert 0 < len(subscriptions._found) <= KNOWN
    assert max(map(len, subscriptions._found)) <= KNOWN_LENGTH
