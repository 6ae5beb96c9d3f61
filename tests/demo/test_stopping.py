"""The start command leaves nothing behind, however it is stopped, and keeps what it started going."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest


@pytest.fixture(scope="module")
def folder(footage: Path) -> Iterator[Path]:
    """Where a demo lives whose footage is rendered already; the first start on it sets it up, which takes a while."""
    made = Path(tempfile.mkdtemp(dir="/var/tmp"))
    made.chmod(0o755)
    (made / "footage").mkdir()
    for each in footage.iterdir():
        (made / "footage" / each.name).symlink_to(each.resolve())
    yield made
    for process in running(made):
        process.kill()
    shutil.rmtree(made, ignore_errors=True)


class Left:
    """A process that is still there."""

    def __init__(self, number: str) -> None:
        self.number = number
        self.words = Path("/proc", number, "cmdline").read_bytes().replace(b"\0", b" ").decode()

    def kill(self) -> None:
        subprocess.run(["kill", "-KILL", self.number], check=False)


def running(folder: Path) -> list[Left]:
    """Processes that were started on a folder: the server of the database, of the page, the worker, renderings."""
    found = []
    for entry in Path("/proc").glob("[0-9]*"):
        try:
            process = Left(entry.name)
            settings = (entry / "environ").read_bytes().decode(errors="replace")
        except OSError:  # gone meanwhile, or somebody else's
            continue
        if str(folder) in process.words or f"WISEGLOVE_FILES={folder}" in settings:
            found.append(process)
    return found


def test_it_stops_all_that_it_started_also_when_it_is_told_to_thrice(folder: Path) -> None:
    command = [sys.executable, "-m", "wiseglove.cli", "demo", "--folder", str(folder), "--port", "8300"]
    demo = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert demo.stdout
    while "Wise Glove is at" not in demo.stdout.readline():
        assert demo.poll() is None
    assert len(running(folder)) >= 4  # itself, the database, the page's server, the worker
    for each in (signal.SIGTERM, signal.SIGTERM, signal.SIGINT):  # told once it is in the next test
        demo.send_signal(each)
        time.sleep(0.1)
    demo.communicate(timeout=60)
    until(lambda: running(folder) == [])  # what forks decoders ends when it hears that its server has


def start(folder: Path) -> tuple[subprocess.Popen[str], str]:
    """A start on a folder, and the address that it says. (What renders is stopped in the test before.)"""
    command = [sys.executable, "-m", "wiseglove.cli", "demo", "--folder", str(folder), "--port", "8310", "--no-more"]
    demo = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    return demo, heard(demo, "Wise Glove is at").split(" at ")[1].split()[0]


def heard(demo: subprocess.Popen[str], words: str) -> str:
    """The next line with these words."""
    assert demo.stdout
    while words not in (line := demo.stdout.readline()):
        assert demo.poll() is None
    return line


def answers(address: str) -> bool:
    try:
        urllib.request.urlopen(f"{address}/healthz", timeout=5).close()
        return True
    except OSError:
        return False


def until(what: Callable[[], bool]) -> None:
    end = time.monotonic() + 120
    while not what():
        assert time.monotonic() < end
        time.sleep(0.1)


def pids(folder: Path, *words: str) -> list[int]:
    return [int(p.number) for p in running(folder) if all(word in p.words for word in words)]


def test_what_ends_by_itself_is_started_again_and_what_a_killed_start_left_is_ended(folder: Path) -> None:
    demo, address = start(folder)
    postmaster = int((folder / "postgres" / "data" / "postmaster.pid").read_text().split("\n")[0])
    os.kill(postmaster, signal.SIGKILL)
    assert "database" in heard(demo, "ended by itself")
    until(lambda: answers(address))
    (server,) = pids(folder, "serve --port")
    os.kill(server, signal.SIGKILL)
    assert "page's server" in heard(demo, "ended by itself")
    until(lambda: answers(address))

    second = subprocess.run(
        [sys.executable, "-m", "wiseglove.cli", "demo", "--folder", str(folder)], capture_output=True, text=True
    )
    assert second.returncode == 1
    assert f"already, at {address}" in second.stderr

    demo.kill()
    demo.wait()
    left = pids(folder, "serve --port") + pids(folder, "wiseglove.cli worker")
    assert len(left) == 2
    again, address_again = start(folder)
    assert address_again == address  # the old one does not sit on its port
    assert not set(left) & set(pids(folder, ""))
    again.send_signal(signal.SIGINT)
    again.communicate(timeout=60)
    until(lambda: running(folder) == [])
