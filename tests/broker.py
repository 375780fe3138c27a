"""Debian's mosquitto, started as a house has it that had a broker before it had a
hub."""

from __future__ import annotations

import contextlib
import shutil
import socket
import subprocess
import time
from dataclasses import dataclass, field
from pathlib import Path

import paho.mqtt.client as paho

from tests.certificates import Authority
from tests.house import Service, free_ports

USER, PASSWORD = "mill", "sluice-gate"

# docs/broker.md says what each is for.
SETTINGS = """\
listener {port} 127.0.0.1
allow_anonymous false
password_file {folder}/passwords
persistence true
persistence_location {folder}/
autosave_interval 2
max_queued_messages 100000
max_inflight_messages 1000
set_tcp_nodelay true
"""


@dataclass
class Broker:
    """One mosquitto, with its folder and port. It can be stopped and started again."""

    folder: Path
    port: int = field(default_factory=lambda: free_ports(1)[0])
    authority: Authority | None = None
    process: subprocess.Popen[bytes] | None = None

    def start(self) -> Broker:
        program = shutil.which("mosquitto", path="/usr/sbin:/usr/bin:/usr/local/sbin")
        assert program, "mosquitto is missing; `make tools` installs it"
        self.folder.mkdir(exist_ok=True, parents=True)
        passwords = self.folder / "passwords"
        subprocess.run(["mosquitto_passwd", "-b", "-c", str(passwords), USER, PASSWORD], check=True)
        settings = SETTINGS.format(port=self.port, folder=self.folder)
        if self.authority is not None:
            files = self.authority.issue("broker")
            settings += (
                f"cafile {self.authority.file}\ncertfile {files[0]}\nkeyfile "
                f"{files[1]}\nrequire_certificate true\n"
            )
        with contextlib.suppress(PermissionError):
            settings += f"user {self.folder.owner()}\n"
        config = self.folder / "mosquitto.conf"
        config.write_text(settings)
        self.process = subprocess.Popen([program, "-c", str(config)], stderr=subprocess.DEVNULL)
        ends = time.monotonic() + 5
        while True:
            with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", self.port)):
                return self
            assert time.monotonic() < ends, "mosquitto did not start"
            time.sleep(0.02)

    def stop(self) -> None:
        if self.process is not None:
            self.process.terminate()
            self.process.wait(30)
            self.process = None

    def client(self, client_id: str = "board", version: int = paho.MQTTv311) -> paho.Client:
        """A node's connection."""
        client = paho.Client(
            paho.CallbackAPIVersion.VERSION2, client_id, protocol=paho.MQTTProtocolVersion(version)
        )
        client.username_pw_set(USER, PASSWORD)
        if self.authority is not None:
            files = self.authority.issue("board")
            client.tls_set(str(self.authority.file), str(files[0]), str(files[1]))
        client.max_inflight_messages_set(400)
        client.connect("127.0.0.1", self.port)
        client.loop_start()
        return client

    def table(self, version: str = "5") -> str:
        """[broker] of hombi.toml."""
        text = (
            f'[broker]\nhost = "127.0.0.1"\nport = {self.port}\nuser = "{USER}"\npassword = '
            f'"{PASSWORD}"\nversion = "{version}"\n'
        )
        if self.authority is not None:
            files = self.authority.issue("hub")
            text += (
                f'ca = "{self.authority.file}"\ncertificate = "{files[0]}"\nkey = "{files[1]}"\n'
            )
        return text

    def name_to(self, service: Service, version: str = "5") -> None:
        """Write it into a hub's hombi.toml."""
        service.data.mkdir(parents=True, exist_ok=True)
        (service.data / "hombi.toml").write_text(self.table(version))
