from __future__ import annotations

import pytest

from hombi.cli import sign_in


@pytest.mark.parametrize(
    ("typed", "address"),
    [
        ("mill.local", "http://mill.local:21460"),
        ("192.0.2.7:4700", "http://192.0.2.7:4700"),
        ("https://mill.example/", "https://mill.example"),
        ("[2001:db8::7]", "http://[2001:db8::7]:21460"),
        ("[2001:db8::7]:81", "http://[2001:db8::7]:81"),
        ("2001:db8::7", "http://[2001:db8::7]:21460"),
    ],
)
def test_a_hub_is_named_as_people_do(typed: str, address: str) -> None:
    assert sign_in.address_of(typed) == address


def test_several_hubs_are_chosen_by_number(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    hubs = ["http://192.0.2.7:21460", "http://192.0.2.9:21460"]
    monkeypatch.setattr(sign_in, "hubs_nearby", lambda _: hubs)
    monkeypatch.setattr(sign_in, "find_hub", lambda: sign_in.Where("http://127.0.0.1:21460", None))
    asked: list[object] = []

    def ask(what: str, choices: list[str]) -> str:
        asked.append(choices)
        return "2"

    monkeypatch.setattr(sign_in.Prompt, "ask", ask)
    assert sign_in._nearest() == hubs[1]
    assert asked == [["1", "2"]]
    assert "2  http://192.0.2.9:21460" in capsys.readouterr().out
