"""A private PostgreSQL cluster from Debian's packages, on a free loopback port.

As root the server runs as user postgres, because PostgreSQL refuses to run as root; its folder must then be
reachable for that user, else a folder below /var/tmp takes its place.
"""

from __future__ import annotations

import hashlib
import os
import pwd
import shutil
import socket
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import psycopg

SUPERUSER = "wiseglove"


class ClusterError(RuntimeError):
    """The cluster cannot be made or started; the message says what to do."""


def free_port() -> int:
    """A loopback port that nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def _programs() -> Path:
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/pg_ctl"), key=lambda p: float(p.parts[4]))
    if not found:
        raise ClusterError("PostgreSQL's server is not installed. Run: apt-get install postgresql")
    return found[-1].parent


@contextmanager
def temporary_cluster() -> Iterator[Cluster]:
    """A running cluster in a folder of its own that goes with it; for tests and measuring, not for data."""
    folder = Path(tempfile.mkdtemp(prefix="wiseglove-pg-"))
    folder.chmod(0o755)
    cluster = Cluster(folder / "postgres", durable=False)
    try:
        cluster.start()
        yield cluster
    finally:
        cluster.stop()
        shutil.rmtree(folder, ignore_errors=True)


class Cluster:
    """A cluster in a folder; `durable=False` trades safety for speed, for tests."""

    def __init__(self, folder: Path, durable: bool = True) -> None:
        self._bin = _programs()
        self._as_root = os.geteuid() == 0
        self._folder = self._reachable(folder.resolve())
        self._data = self._folder / "data"
        self._durable = durable
        self.port = 0

    def url(self, database: str = "wiseglove") -> str:
        """Where a database of the running cluster is."""
        return f"postgresql://{SUPERUSER}@127.0.0.1:{self.port}/{database}"

    def _reachable(self, folder: Path) -> Path:
        if not self._as_root:
            folder.mkdir(parents=True, exist_ok=True)
            return folder
        folder.mkdir(parents=True, exist_ok=True)
        if all(parent.stat().st_mode & 0o001 for parent in folder.parents):
            self._own(folder)
            return folder
        name = hashlib.sha256(str(folder).encode()).hexdigest()[:12]
        other = Path("/var/tmp") / f"wiseglove-{name}"
        other.mkdir(exist_ok=True)
        self._own(other)
        return other

    @staticmethod
    def _own(folder: Path) -> None:
        user = pwd.getpwnam("postgres")
        os.chown(folder, user.pw_uid, user.pw_gid)

    def _run(self, *command: str) -> subprocess.CompletedProcess[str]:
        prefix = ["runuser", "-u", "postgres", "--"] if self._as_root else []
        return subprocess.run([*prefix, *command], cwd=self._folder, capture_output=True, text=True, check=False)

    def start(self) -> None:
        """Make the cluster where there is none, and start it. Raises ClusterError."""
        if not (self._data / "PG_VERSION").exists():
            shutil.rmtree(self._data, ignore_errors=True)
            made = self._run(
                str(self._bin / "initdb"), "-D", str(self._data), "-U", SUPERUSER, "--auth=trust", "-E", "UTF8",
                "--locale=C.UTF-8", *([] if self._durable else ["--no-sync"]),
            )  # fmt: skip
            if made.returncode:
                raise ClusterError(f"PostgreSQL could not make its cluster: {made.stderr.strip()}")
        elif self._run(str(self._bin / "pg_ctl"), "-D", str(self._data), "status").returncode == 0:
            self.stop()  # left over from a start that was killed
        self.port = free_port()
        options = f"-p {self.port} -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c max_connections=100"
        if not self._durable:
            options += " -c fsync=off -c synchronous_commit=off -c full_page_writes=off"
        started = self._run(
            str(self._bin / "pg_ctl"),
            "-w",
            "-D",
            str(self._data),
            "-l",
            str(self._folder / "log"),
            "-o",
            options,
            "start",
        )
        if started.returncode:
            raise ClusterError(f"PostgreSQL did not start; its log is {self._folder / 'log'}: {started.stderr.strip()}")

    def stop(self) -> None:
        """Stop the server, letting running statements go."""
        self._run(str(self._bin / "pg_ctl"), "-D", str(self._data), "-m", "fast", "-w", "stop")

    def sql(self, statement: str, database: str = "postgres") -> None:
        """Run one statement, outside a transaction. Raises ClusterError."""
        try:
            with psycopg.connect(self.url(database), autocommit=True) as connection:
                connection.execute(statement.encode())
        except psycopg.Error as error:
            raise ClusterError(str(error)) from error

    def ensure_database(self, name: str = "wiseglove") -> None:
        """Make a database where it does not exist."""
        with psycopg.connect(self.url("postgres"), autocommit=True) as connection:
            if connection.execute("select 1 from pg_database where datname = %s", [name]).fetchone() is None:
                connection.execute(f'create database "{name}"'.encode())
