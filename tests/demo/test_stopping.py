"""The start command leaves nothing behind, however it is stopped."""

from __future__ import annotations

import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import pytest


@pytest.fixture
def folder(footage: Path) -> Iterator[Path]:
    """Where a demo lives whose footage is rendered already."""
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


@pytest.mark.parametrize("signals", [[signal.SIGINT], [signal.SIGTERM, signal.SIGTERM, signal.SIGINT]])
def test_it_stops_all_that_it_started_also_when_it_is_told_to_twice(folder: Path, signals: list[int]) -> None:
    command = [sys.executable, "-m", "wiseglove.cli", "demo", "--folder", str(folder), "--port", "8300"]
    demo = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert demo.stdout
    while "Wise Glove is at" not in demo.stdout.readline():
        assert demo.poll() is None
    assert len(running(folder)) >= 4  # itself, the database, the page's server, the worker
    for each in signals:
        demo.send_signal(each)
        time.sleep(0.1)
    demo.communicate(timeout=60)
    assert [process.words for process in running(folder)] == []
