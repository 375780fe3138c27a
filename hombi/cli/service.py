"""`hombi service`: have systemd run the hub, from the start of the machine on."""

from __future__ import annotations

import importlib
import os
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Annotated

import typer

from hombi.cli.data_place import data_folder
from hombi.cli.drawing import err, out
from hombi.cli.exits import SAID_NO
from hombi.cli.extras import installed
from hombi.cli.noun import noun

app = noun("Have systemd run the hub.")
SYSTEM_UNITS = Path("/etc/systemd/system")
STATE = "/var/lib/hombi"
NAME = "hombi.service"
System = Annotated[
    bool,
    typer.Option("--system", help="For the whole machine, not for you alone; as root."),
]

_UNIT = """\
[Unit]
Description=Hombi, the hub of this house
Wants=network-online.target
After=network-online.target bluetooth.target time-sync.target

[Service]
Type=notify
NotifyAccess=main
ExecStart={python} -P -m hombi.cli.app serve
Environment=HOMBI_DATA={data} PYTHONUNBUFFERED=1
Restart=always
RestartSec=5
WatchdogSec=60
# The first start after an update may have years of readings to go through.
TimeoutStartSec=30min
TimeoutStopSec=30
LimitNOFILE=16384
UMask=0077
NoNewPrivileges=yes
LockPersonality=yes
RestrictAddressFamilies=AF_UNIX AF_INET AF_INET6 AF_NETLINK
RestrictNamespaces=yes
RestrictRealtime=yes
RestrictSUIDSGID=yes
SystemCallArchitectures=native
SystemCallFilter=@system-service
SystemCallFilter=~@privileged @resources
SystemCallErrorNumber=EPERM
{more}
[Install]
WantedBy={target}
"""
# What only a service of the machine can have: a user's own would lose its sticks by it.
_SYSTEM = f"""\
DynamicUser=yes
StateDirectory={Path(STATE).name}
StateDirectoryMode=0700
CapabilityBoundingSet=
AmbientCapabilities=
PrivateTmp=yes
ProtectClock=yes
ProtectControlGroups=yes
ProtectHome=yes
ProtectHostname=yes
ProtectKernelLogs=yes
ProtectKernelModules=yes
ProtectKernelTunables=yes
ProtectProc=invisible
ProtectSystem=strict
RemoveIPC=yes
# Sticks: serial ports over USB, and those of the board.
SupplementaryGroups=dialout
DevicePolicy=closed
DeviceAllow=char-ttyUSB rw
DeviceAllow=char-ttyACM rw
DeviceAllow=char-ttyAMA rw
"""


def unit(data: str, *, system: bool) -> str:
    """The unit's text."""
    return _UNIT.format(
        python=sys.executable,
        data=data,
        more=_SYSTEM if system else "",
        target="multi-user.target" if system else "default.target",
    )


def _place(*, system: bool) -> Path:
    if system:
        return SYSTEM_UNITS / NAME
    base = os.environ.get("XDG_CONFIG_HOME") or "~/.config"
    return Path(base).expanduser() / "systemd" / "user" / NAME


def home_of(program: Path) -> Path | None:
    """The home folder that a program, or what it is a link to, lies in."""
    homes = [Path(one) for one in ("/home", "/root", "/run/user")]
    for place in (program.absolute(), program.resolve()):
        for home in homes:
            if place.is_relative_to(home):
                return home
    return None


@app.command("show")
def show(system: System = False) -> None:
    """Print the unit that `install` would write."""
    print(unit(STATE if system else str(data_folder()), system=system), end="")


@app.command()
def install(
    system: System = False,
    start: Annotated[
        bool, typer.Option("--start/--no-start", help="Start it now, and with the machine.")
    ] = True,
) -> None:
    """Write the unit, and have systemd start the hub now and with the machine."""
    data, path = STATE if system else str(data_folder()), _place(system=system)
    with installed("hub"):
        importlib.import_module("django")
    home = home_of(Path(sys.executable)) if system else None
    if home is not None:
        err.print(
            f"a service of the machine does not see into {home}, where this Hombi is; install it "
            "elsewhere first: sudo python3 -m venv /opt/hombi",
            style="red",
        )
        raise typer.Exit(SAID_NO)
    try:
        if not system:
            Path(data).mkdir(parents=True, exist_ok=True, mode=0o700)
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(unit(data, system=system))
    except OSError as error:
        why = "; run it as root" if isinstance(error, PermissionError) and system else ""
        err.print(f"{path} cannot be written ({error.strerror}){why}", style="red")
        raise typer.Exit(SAID_NO) from error
    out.print(f"The unit is in {path}; its data folder is {data}.")
    if start:
        scope = [] if system else ["--user"]
        _run("systemctl", *scope, "daemon-reload")
        _run("systemctl", *scope, "enable", "--now", NAME)
        if not system:
            _run("loginctl", "enable-linger")  # it runs while nobody is signed in
        log = "journalctl " + ("" if system else "--user ") + "-u hombi"
        out.print(f"It runs, also after a power cut. `{log}` has what it says.")


@app.command()
def remove(system: System = False) -> None:
    """Stop the hub and remove the unit; the data stays."""
    path, scope = _place(system=system), [] if system else ["--user"]
    if not path.exists():
        err.print(f"there is no {path}", style="red")
        raise typer.Exit(SAID_NO)
    _run("systemctl", *scope, "disable", "--now", NAME)
    path.unlink()
    _run("systemctl", *scope, "daemon-reload")
    out.print(f"{path} is removed. The data stays where it is.")


def _run(*words: str) -> None:
    if shutil.which(words[0]) is None:
        err.print(f"this machine has no {words[0]}; the unit is written only", style="yellow")
        raise typer.Exit(SAID_NO)
    done = subprocess.run(words, capture_output=True, text=True, check=False)  # noqa: S603
    if done.returncode:
        err.print(f"`{' '.join(words)}` failed:", style="red")
        for line in done.stderr.strip().splitlines():
            err.print(line, style="red", soft_wrap=True)
        raise typer.Exit(SAID_NO)
