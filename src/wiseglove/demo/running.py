"""Keeps what the start command started going: the database's server, the page's server, and the worker.

Each of them is started again when it ends by itself, and a start ends what an earlier one left behind when it was killed: the
processes in its own list, nothing else.
"""

from __future__ import annotations

import contextlib
import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

from wiseglove.store.cluster import Cluster, ClusterError

Say = Callable[[str], None]
OFTEN = 4
"""How often something may be started again within WITHIN seconds; beyond that all is ended with a message."""
WITHIN = 60.0


class RunningError(RuntimeError):
    """It cannot be kept going, or is going already; the message says what to do."""


class Left:
    """The list of processes of a start, kept in its folder so that a later one can end them.

    A process is known by its number and the time at which it started (proc(5), stat, field 22), so that another one that got
    the same number is never touched.
    """

    def __init__(self, folder: Path) -> None:
        self._path = folder / "running.json"

    def write(self, address: str, pids: list[int]) -> None:
        """The own process and these."""
        known = [(pid, at) for pid in [os.getpid(), *pids] if (at := _started(pid)) is not None]
        part = self._path.with_suffix(".part")
        part.write_text(json.dumps({"address": address, "processes": known}))
        part.replace(self._path)

    def end(self, say: Say) -> None:
        """End what an earlier start left. Raises RunningError where that start is still going."""
        try:
            found = json.loads(self._path.read_text())
            known = [(int(pid), str(at)) for pid, at in found["processes"]]
            address = str(found["address"])
        except FileNotFoundError:
            return
        except (ValueError, KeyError, TypeError):
            self.forget()
            return
        there = [pid for pid, at in known if _started(pid) == at]
        if known and known[0][0] in there and known[0][0] != os.getpid():
            raise RunningError(
                f"Wise Glove is running on this folder already, at {address}. Stop that one first (Ctrl+C), or give this one "
                "another folder."
            )
        groups = [pid for pid in there if pid != known[0][0]]
        if there:
            say("Ending what an earlier start left behind ...")
        for which in (signal.SIGTERM, signal.SIGKILL):
            for pid in there:
                _signal(pid, which)
            until = time.monotonic() + 5
            while there and time.monotonic() < until:
                there = [pid for pid, at in known if pid in there and _started(pid) == at]
                time.sleep(0.05)
        for pid in groups:
            _kill_group(pid)
        self.forget()

    def forget(self) -> None:
        """Nothing is left."""
        self._path.unlink(missing_ok=True)


def _started(pid: int) -> str | None:
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    except OSError:
        return None
    return None if fields[0] == "Z" else fields[19]


def _signal(pid: int, which: signal.Signals) -> None:
    try:
        os.kill(pid, which)
    except ProcessLookupError:
        return


def _kill_group(leader: int) -> None:
    """What a command of ours started itself, such as processes that render, and left behind when it ended."""
    with contextlib.suppress(ProcessLookupError, PermissionError):
        os.killpg(leader, signal.SIGKILL)


class Child:
    """A command of ours that is kept going."""

    def __init__(self, words: list[str], environment: dict[str, str]) -> None:
        self._words, self._environment = words, environment
        self.process = self._start()

    def _start(self) -> subprocess.Popen[bytes]:
        program = [sys.executable, "-m", "wiseglove.cli", *self._words]
        return subprocess.Popen(program, env=self._environment, start_new_session=True)

    @property
    def name(self) -> str:
        """What it is called in messages."""
        return {"serve": "page's server"}.get(self._words[0], self._words[0])

    def ended(self) -> bool:
        """Whether it is not there any more."""
        return self.process.poll() is not None

    def again(self) -> None:
        """Start it once more."""
        self.process = self._start()


class Running:
    """All of it, watched."""

    def __init__(self, cluster: Cluster, left: Left, address: str, say: Say) -> None:
        self._cluster, self._left, self._address, self._say = cluster, left, address, say
        self.children: list[Child] = []
        self._helpers: list[Child] = []
        self._again: dict[str, list[float]] = {}

    def add(self, words: list[str], environment: dict[str, str]) -> None:
        """One more command."""
        self.children.append(Child(words, environment))
        self._list()

    def also(self, words: list[str], environment: dict[str, str]) -> None:
        """A command that is started once and may end."""
        self._helpers.append(Child(words, environment))
        self._list()

    def _list(self) -> None:
        self._left.write(self._address, [child.process.pid for child in [*self.children, *self._helpers]])

    def look(self) -> None:
        """Start again what has ended. Raises RunningError where that happens too often or does not work."""
        if not self._cluster.running():
            self._count("database's server")
            try:
                self._cluster.start(self._cluster.port)
            except ClusterError as error:
                raise RunningError(str(error)) from error
        for child in self.children:
            if child.ended():
                self._count(child.name)
                child.again()
                self._list()

    def _count(self, name: str) -> None:
        now = time.monotonic()
        times = [t for t in self._again.get(name, []) if now - t < WITHIN]
        if len(times) >= OFTEN:
            raise RunningError(
                f"The {name} has ended by itself {OFTEN + 1} times within a minute, so all is stopped. What was stored is "
                "safe. The messages above say why; mend it and start again."
            )
        self._again[name] = [*times, now]
        self._say(f"The {name} ended by itself; starting it again.")

    def end(self) -> None:
        """End the commands, politely first."""
        going = [child.process for child in [*self._helpers, *self.children] if not child.ended()]
        for process in going:
            process.terminate()
        for process in going:
            _end(process)
            _kill_group(process.pid)
        self._left.forget()


def _end(process: subprocess.Popen[bytes]) -> None:
    """Wait for a process that was told to end, and end it by force where it does not."""
    try:
        process.wait(8)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()
