"""Sheets of other machines by ssh: a real sshd on the loopback address, and hosts that fail."""

import base64
import io
import json
import os
import shutil
import socket
import subprocess
import time
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from tests.helpers import run

SSHD = shutil.which("sshd", path=f"{os.environ.get('PATH', '')}:/usr/sbin:/sbin")
SSH = shutil.which("ssh")
pytestmark = pytest.mark.skipif(not SSHD or not SSH, reason="OpenSSH is not installed")


def _port() -> int:
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])


def _key(path: Path) -> str:
    subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(path)], check=True)
    return Path(f"{path}.pub").read_text().strip()


@pytest.fixture(scope="module")
def office(tmp_path_factory: pytest.TempPathFactory) -> Iterator[dict[str, str]]:
    """An environment in which ``ssh`` knows the made-up hosts of a loopback server."""
    home = tmp_path_factory.mktemp("ssh")
    port, closed = _port(), _port()
    keys = {name: _key(home / name) for name in ("plain", "cut", "odd", "shell", "host")}
    (home / "zip").write_text(base64.b64encode(_windows_capture()).decode())
    powershell = (
        'case \\"$SSH_ORIGINAL_COMMAND\\" in \\"powershell -NoProfile -NonInteractive '
        f'-EncodedCommand \\"*) cat > {home}/kit; fold -w 76 {home}/zip ;; *) exit 9 ;; esac'
    )
    forced = {"cut": "sh | head -c 2000", "odd": "echo no such kit >&2; exit 3",
              "shell": powershell}  # fmt: skip
    lines = [
        (f'command="{forced[name]}" ' if name in forced else "") + key
        for name, key in keys.items() if name != "host"
    ]  # fmt: skip
    (home / "authorized").write_text("\n".join(lines) + "\n")
    (home / "sshd_config").write_text(
        f"Port {port}\nListenAddress 127.0.0.1\nHostKey {home}/host\nPidFile {home}/pid\n"
        f"AuthorizedKeysFile {home}/authorized\nStrictModes no\nUsePAM no\n"
        "PermitRootLogin yes\nPasswordAuthentication no\n"
    )
    user = subprocess.run(["id", "-un"], capture_output=True, text=True, check=True).stdout.strip()
    common = (
        f"  HostName 127.0.0.1\n  Port {port}\n  User {user}\n  IdentitiesOnly yes\n"
        f"  UserKnownHostsFile {home}/known\n  StrictHostKeyChecking accept-new\n"
    )
    (home / "config").write_text(
        "Host hangs\n  ProxyCommand sleep 60\n"
        f"Host refuses\n  HostName 127.0.0.1\n  Port {closed}\n"
        + "".join(
            f"Host {names}\n  IdentityFile {home}/{key}\n{common}" for names, key in
            (("cut", "cut"), ("odd", "odd"), ("ticket-desk-*", "shell"), ("desk-*", "plain"))
        )
    )  # fmt: skip
    wrapper = home / "bin" / "ssh"
    wrapper.parent.mkdir()
    wrapper.write_text(f'#!/bin/sh\nexec {SSH} -F {home}/config "$@"\n')
    wrapper.chmod(0o755)
    if os.geteuid() == 0:
        os.makedirs("/run/sshd", exist_ok=True)
    server = subprocess.Popen([str(SSHD), "-D", "-e", "-f", str(home / "sshd_config")],
                              stderr=subprocess.DEVNULL)  # fmt: skip
    try:
        _wait(port)
        yield {"PATH": f"{wrapper.parent}:{os.environ['PATH']}", "HOME_OF_TEST": str(home)}
    finally:
        server.terminate()
        server.wait()


def _wait(port: int) -> None:
    for _ in range(200):
        with socket.socket() as one:
            one.settimeout(0.1)
            if one.connect_ex(("127.0.0.1", port)) == 0:
                return
        time.sleep(0.05)
    raise AssertionError("no sshd")


def _windows_capture() -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        packed.writestr("Win32_OperatingSystem.json", json.dumps([
            {"Caption": "Merrow 10", "Version": "10.0", "TotalVisibleMemorySize": 8 << 20}
        ]))  # fmt: skip
        packed.writestr("gathered", "2026-11-20T09:14:02Z")
    return out.getvalue()


def test_ten_hosts_of_which_three_fail(office: dict[str, str], tmp_path: Path) -> None:
    good = [f"desk-{number:02}" for number in range(1, 8)]
    folder = tmp_path / "machines"
    words = ("gather", "--ssh", *good, "hangs", "refuses", "cut", "--within", "8s", "-o")
    first = run(*words, str(folder), env=office)
    assert first.code == 3
    assert sorted(one.name for one in folder.iterdir()) == [f"{name}.machine.json" for name in good]
    assert "wrote 7 sheets" in first.out
    why = dict(line.split(": ", 2)[1:] for line in first.err.splitlines())
    assert set(why) == {"hangs", "refuses", "cut"}
    assert why["hangs"] == "gave no capture within 8 s"
    assert "refused" in why["refuses"].lower()
    assert why["cut"].startswith("sent a capture that breaks off")
    sheet: Any = json.loads((folder / "desk-01.machine.json").read_text())
    here: Any = json.loads(run("gather").out)
    assert sheet["processor"]["threads"] == here["processor"]["threads"]
    assert sheet["memory"]["usable"] == here["memory"]["usable"]
    fleet = run("fleet", str(folder), "--need", "memory=1GB", "--quiet")
    assert fleet.out.startswith("Of 7 machines, 7 are ready")


def test_a_second_run_does_only_what_is_missing(office: dict[str, str], tmp_path: Path) -> None:
    hosts = tmp_path / "hosts"
    hosts.write_text("# the desks\ndesk-01\n\ndesk-02\n")
    kept = '{"tallcheck": "machine/1", "name": "kept", "origins": {"display": {"how": "read"}}}'
    (tmp_path / "desk-01.machine.json").write_text(kept)
    words = ("gather", "--hosts", str(hosts), "-o", str(tmp_path))
    done = run(*words, env=office)
    assert done.code == 0, done.err
    assert "wrote 1 sheet" in done.out
    assert "1 was there already" in done.out
    assert (tmp_path / "desk-01.machine.json").read_text() == kept
    assert run(*words, "--again", env=office).code == 0
    assert "threads" in (tmp_path / "desk-01.machine.json").read_text()


def test_a_host_with_powershell(office: dict[str, str], tmp_path: Path) -> None:
    done = run("gather", "--ssh", "ticket-desk-04", "--system", "windows", "-o", str(tmp_path),
               env=office)  # fmt: skip
    assert done.code == 0, done.err
    sheet = json.loads((tmp_path / "ticket-desk-04.machine.json").read_text())
    assert sheet["memory"]["usable"] == 8 << 30
    kit = (Path(office["HOME_OF_TEST"]) / "kit").read_text()
    assert kit == run("kit", "windows").out


def test_a_name_is_never_an_option(office: dict[str, str], tmp_path: Path) -> None:
    hosts, trap = tmp_path / "hosts", tmp_path / "trap"
    hosts.write_text(f"-oProxyCommand=touch${{IFS}}{trap}\nodd\n")
    done = run("gather", "--hosts", str(hosts), "-o", str(tmp_path), env=office)
    assert done.code == 3
    assert not trap.exists()
    assert "odd: no such kit" in done.err
    assert not list(tmp_path.glob("*.machine.json"))


@pytest.mark.parametrize(
    ("words", "code", "message"),
    [
        (("--ssh", "desk-01"), 2, "expected -o FOLDER"),
        (("--ssh", "desk 01", "-o", "x"), 3, "the name of a host"),
        (("--ssh", "desk-01", "-o", "x", "--name", "y"), 2, "of one machine"),
        (("--ssh", "desk-01", "-o", "x", "--within", "soon"), 2, "a duration"),
    ],
)
def test_what_cannot_be_asked_for(
    tmp_path: Path, words: tuple[str, ...], code: int, message: str
) -> None:
    done = run("gather", *words, cwd=tmp_path)
    assert (done.code, list(tmp_path.iterdir())) == (code, [])
    assert message in done.err


def test_without_ssh_it_is_said(tmp_path: Path) -> None:
    done = run("gather", "--ssh", "desk-01", "-o", str(tmp_path), env={"PATH": "/nowhere"})
    assert done.code == 3
    assert "found no program 'ssh'" in done.err
