"""A staged application for browser tests, benchmarks and screenshots: the demo, a 1080p shot, server and worker."""

from __future__ import annotations

import fcntl
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from fractions import Fraction
from pathlib import Path

from playwright.sync_api import Browser, sync_playwright

from tests.builders import ffmpeg
from wiseglove.demo import install, presenter, scene
from wiseglove.media.encode import FINE, MovieWriter
from wiseglove.settings import Settings
from wiseglove.store.backup import back_up, restore
from wiseglove.store.cluster import Cluster, free_port
from wiseglove.store.database import Database, migrate

ROOT = Path(__file__).resolve().parents[2]
CHROMIUM = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--hide-scrollbars",
    # The address bar's pages, of which each window draws three, take ten times what an empty page does. (Named once more with
    # them are what the driver turns off itself: of two such lists the last one counts.)
    "--disable-features=WebUIOmniboxPopup,WebUIOmniboxAimPopup,WebUIOmniboxFullPopup,"
    "HttpsUpgrades,MediaRouter,OptimizationHints,PaintHolding,PreconnectToSearch,DestroyProfileOnBrowserClose",
]
PRESENTED = 6
"""Frames of the short shot of the presenter."""


class Server:
    """`wiseglove serve` and `wiseglove worker` on a database of their own."""

    def __init__(self, url: str, files: Path, **more: str) -> None:
        """more: further settings, as environment variables."""
        self.files = files
        self.port = free_port()
        self.address = f"http://127.0.0.1:{self.port}"
        self._environment = {
            **os.environ, "WISEGLOVE_DATABASE_URL": url, "WISEGLOVE_FILES": str(files),
            "WISEGLOVE_PAGE": str(ROOT / "web" / "dist"), **more,
        }  # fmt: skip
        self._processes: list[subprocess.Popen[bytes]] = []

    def start(self) -> None:
        for command in (["serve", "--port", str(self.port)], ["worker"]):
            program = [sys.executable, "-m", "wiseglove.cli", *command]
            self._processes.append(subprocess.Popen(program, env=self._environment))
        for _ in range(1800):  # a fresh clone compiles its loops meanwhile, on a machine that may be busy
            try:
                urllib.request.urlopen(f"{self.address}/healthz", timeout=2).close()
                return
            except OSError:
                time.sleep(0.1)
        raise RuntimeError("the server does not answer")

    @property
    def pids(self) -> list[int]:
        """The server's and the worker's process."""
        return [process.pid for process in self._processes]

    def stop(self) -> None:
        for process in self._processes:
            process.send_signal(signal.SIGTERM)
        for process in self._processes:
            try:
                process.wait(15)
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
        self._processes.clear()


def write_large_plate(footage: Path, out: Path) -> Path:
    """The demo's first second and a half at 1920x1080."""
    ffmpeg(
        "-i", footage / install.MOVIE, "-frames:v", "40", "-vf", "scale=1920:1080:flags=lanczos", "-crf", "12",
        "-preset", "ultrafast", "-pix_fmt", "yuv420p", out,
    )  # fmt: skip
    return out


def write_presented(footage: Path, out: Path) -> Path:
    """A few frames of the presenter before her backing; rendered once, beside the other footage."""
    kept = footage / "presented.mp4"
    if not kept.exists():
        making = footage / f"presented.{os.getpid()}.mp4"
        with MovieWriter(making, scene.WIDTH, scene.HEIGHT, Fraction(scene.RATE), FINE) as writer:
            for index in range(PRESENTED):
                writer.write(presenter.film(index).plate)
        making.replace(kept)  # several may do so at once: all write the same
    return Path(shutil.copyfile(kept, out))


@contextmanager
def staged(
    cluster: Cluster, footage: Path, name: str = "browser", more: Callable[[Database, Settings], object] | None = None,
    kept: Path | None = None,
) -> Iterator[Server]:  # fmt: skip
    """The demo shot, "Large tap" and "Presented" behind a server and a worker of their own.

    more: puts in further shots. kept: a folder that several processes share; the first of them leaves a backup of its shots
    there, which the others restore instead of making them again.
    """
    files = Path(tempfile.mkdtemp(prefix="wiseglove-stage-"))
    cluster.ensure_database(name)
    url = cluster.url(name)
    settings = Settings(database_url=url, files=files)
    with ExitStack() as locked:
        if kept is not None:
            kept.mkdir(exist_ok=True)
            fcntl.flock(locked.enter_context((kept / "lock").open("w")), fcntl.LOCK_EX)
        if kept is not None and (kept / "stage.tar").exists():
            restore(settings, kept / "stage.tar", lambda _: None)
        else:
            migrate(url)
            database = Database(url)
            install.install(database, settings, footage, lambda _: None)
            install.take_in_movie(database, settings, write_large_plate(footage, files / "large.mp4"), "Large tap")
            install.take_in_movie(database, settings, write_presented(footage, files / "presented.mp4"), "Presented")
            if more is not None:
                more(database, settings)
            database.close()
            if kept is not None:
                shutil.copyfile(files / "large.mp4", kept / "large.mp4")
                back_up(settings, kept / "stage.tar", lambda _: None)
    if kept is not None:
        shutil.copyfile(kept / "large.mp4", files / "large.mp4")
    server = Server(url, files)
    server.start()
    try:
        yield server
    finally:
        server.stop()
        shutil.rmtree(files, ignore_errors=True)


@contextmanager
def chromium() -> Iterator[Browser]:
    """Debian's Chromium without a screen."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
        yield browser
        browser.close()
