"""The data folder: whose it is, what is sealed in it, and what happens when it is
spoilt."""

from __future__ import annotations

import contextlib
import os
import shutil
import sqlite3
import stat
import subprocess
import sys
from pathlib import Path

import httpx
import pytest

from tests.conftest import make_service
from tests.house import OWNER, PASSWORD, Service


def test_what_is_stored_is_its_owners_alone_and_secrets_are_sealed(own_service: Service) -> None:
    own_service.data.mkdir(exist_ok=True)
    own_service.data.chmod(0o755)
    (own_service.data / "hombi.toml").write_text("[house]\nname = 'Open'\n")
    (own_service.data / "hombi.toml").chmod(0o644)
    own_service.start()
    own_service.sign_in_first()
    with httpx.Client(base_url=own_service.url) as browser:
        browser.post(
            "/api/session", json={"username": OWNER, "password": PASSWORD}
        ).raise_for_status()
        assert browser.get("/api/session").status_code == 200
        cookie = browser.cookies["sessionid"]
    open_to_others = [
        path.name
        for path in (own_service.data, *own_service.data.iterdir())
        if path.is_file() and stat.S_IMODE(path.stat().st_mode) & 0o077
    ]
    assert open_to_others == []
    assert stat.S_IMODE(own_service.data.stat().st_mode) == 0o700
    own_service.stop()
    with sqlite3.connect(own_service.data / "hub.sqlite3") as database:
        (vapid,) = database.execute("SELECT value FROM records_hubkey").fetchone()
        sessions = [row[0] for row in database.execute("SELECT session_key FROM django_session")]
    assert vapid.startswith("sealed:")
    assert "PRIVATE KEY" not in vapid
    assert sessions
    assert cookie not in sessions


def spoil(data: Path, how: str) -> None:
    database = data / "hub.sqlite3"
    if how == "no database":
        database.write_bytes(b"this is not a database, but long enough to be looked at" * 100)
    elif how == "truncated":
        os.truncate(database, database.stat().st_size // 2)
    elif how == "scribbled":
        with database.open("r+b") as file:
            file.seek(8192)
            file.write(b"\xff" * 40_000)
    elif how == "newer":
        with contextlib.closing(sqlite3.connect(database, isolation_level=None)) as result:
            result.execute(
                "INSERT INTO django_migrations (app, name, applied) VALUES ('records', "
                "'9999_later', '2030-01-01')"
            )
    elif how == "empty key":
        (data / "secret.key").write_text("")
    elif how == "another key":
        (data / "secret.key").write_text("k" * 60)
    elif how == "a folder":
        database.unlink()
        database.mkdir()


@pytest.mark.parametrize(
    ("how", "said"),
    [
        ("no database", "is damaged"),
        ("truncated", "is damaged"),
        ("scribbled", "is damaged"),
        ("newer", "was written by a newer Hombi"),
        ("empty key", "is empty or cut short"),
        ("another key", "put back the secret.key"),
        ("a folder", "cannot be written"),
    ],
)
def test_data_that_cannot_be_used_is_named_and_left_alone(
    made_data: Path, tmp_path: Path, how: str, said: str
) -> None:
    own = make_service(tmp_path / "hub")
    shutil.copytree(made_data, own.data)
    spoil(own.data, how)
    before = {
        path.name: path.read_bytes()
        for path in own.data.iterdir()
        if path.suffix in (".sqlite3", ".key") and path.is_file()
    }
    run = own.hombi("serve")
    assert run.returncode == 1
    assert said in " ".join(run.stderr.split()), run.stderr
    assert "Traceback" not in run.stderr + run.stdout
    assert {name: (own.data / name).read_bytes() for name in before} == before


@pytest.fixture(scope="module")
def made_data(tmp_path_factory: pytest.TempPathFactory) -> Path:
    made = make_service(tmp_path_factory.mktemp("made") / "hub").start()
    made.sign_in_first()
    made.stop()
    return made.data


def test_a_house_whose_key_is_lost_goes_on_without_its_secrets(
    made_data: Path, tmp_path: Path
) -> None:
    own = make_service(tmp_path / "hub", HOMBI_NOTICES_PUSH_SERVICES="http://127.0.0.1")
    shutil.copytree(made_data, own.data)
    own.start()
    with own.hub() as hub:
        hub.rooms.add("Boathouse", hub.floors.add("At the water").name)
        hub.contacts.add_phone(
            "Ada's phone", "http://127.0.0.1:9/x", {"p256dh": "x" * 87, "auth": "y" * 22}, OWNER
        )
    own.stop()
    (own.data / "secret.key").unlink()
    assert "--new-secrets" in own.hombi("serve").stderr
    serving = subprocess.Popen(
        [sys.executable, "-m", "hombi.cli.app", "serve", "--new-secrets"],
        env=own.environment,
        stdout=subprocess.PIPE,
        text=True,
    )
    try:
        assert serving.stdout is not None
        assert any("Ready" in line for line in serving.stdout)
        with own.hub() as hub:
            assert hub.contacts.list() == []
            assert any(
                room.name == "Boathouse" for floor in hub.house().floors for room in floor.rooms
            )
    finally:
        serving.terminate()
        serving.wait(20)
    own.start()  # and the next start needs nothing said
    own.kill()


def test_a_text_that_looks_sealed_is_no_reason_not_to_start(
    made_data: Path, tmp_path: Path
) -> None:
    own = make_service(tmp_path / "hub", HOMBI_NOTICES_PUSH_SERVICES="http://127.0.0.1")
    shutil.copytree(made_data, own.data)
    own.start()
    with own.hub() as hub:
        hub.contacts.add_phone(
            "Odd phone",
            "http://127.0.0.1:9/x",
            {"p256dh": "x" * 87, "auth": "sealed:nothing"},
            OWNER,
        )
    own.kill()
    own.start()
    with own.hub() as hub:
        assert [phone.name for phone in hub.contacts.list()] == ["Odd phone"]
    own.kill()


def test_a_data_folder_that_cannot_be_made_is_named(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    own = make_service(tmp_path / "file" / "hub")
    own.env["XDG_CONFIG_HOME"] = str(tmp_path)
    run = own.hombi("serve")
    assert run.returncode == 1
    assert "cannot be used" in run.stderr


def test_a_data_folder_that_has_become_read_only_is_named(own_service: Service) -> None:
    """As a memory card does that is worn out."""
    own_service.start()
    own_service.stop()
    folder = own_service.data
    try:
        subprocess.run(["mount", "--bind", folder, folder], check=True, capture_output=True)
    except (OSError, subprocess.CalledProcessError) as error:
        pytest.skip(f"this machine mounts nothing: {error}")
    try:
        subprocess.run(["mount", "-o", "remount,bind,ro", folder], check=True)
        own_service.said.clear()
        with pytest.raises(AssertionError, match="did not start"):
            own_service.start()
        said = "".join(own_service.said)
        assert f"the data folder {folder} cannot be used (it cannot be written)" in said
        assert "Traceback" not in said
    finally:
        subprocess.run(["umount", "--lazy", folder], check=True)
    own_service.start()
