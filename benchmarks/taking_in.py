"""Sending the pictures of a sequence to a real server, and a plate that is as large and as long as they come."""

from __future__ import annotations

import http.client
import json
import os
import shutil
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np

from benchmarks.table import Row
from tests.e2e.stage import Server
from wiseglove.media.encode import png
from wiseglove.store.cluster import temporary_cluster
from wiseglove.store.database import migrate

MANY, FEW = 10_000, 1_000
LANES, TOGETHER = 4, 100
"""Requests at once and files in each, as the page sends them."""


def run() -> list[Row]:
    """Ten thousand small pictures, as the page sends them, and a thousand for comparison."""
    files = Path(tempfile.mkdtemp(prefix="wiseglove-sending-"))
    picture = png(np.full((24, 32, 3), 90, np.uint8))
    with temporary_cluster() as cluster:
        cluster.ensure_database("sending")
        migrate(cluster.url("sending"))
        server = Server(cluster.url("sending"), files)
        server.start()
        try:
            few = _send(server, picture, FEW)
            many = _send(server, picture, MANY)
        finally:
            server.stop()
            shutil.rmtree(files, ignore_errors=True)
    synced = _written(picture)
    peer = f"writing them to files one by one {synced:.1f} s; {few / FEW * 1000:.1f} ms a file of {FEW}"
    return [
        Row(f"sending {MANY} small pictures until they are understood", many, "s", "sending.many", peer),
        Row(f"  a file of them, share of a file of {FEW}", (many / MANY) / (few / FEW), "", "sending.constant"),
    ]


def _send(server: Server, picture: bytes, count: int) -> float:
    claims = [{"name": f"frame.{n:05d}.png", "size": len(picture)} for n in range(count)]
    started = time.perf_counter()
    intake = json.loads(_ask(_line(server), "POST", "/api/intakes", json.dumps({"files": claims}).encode()))["id"]

    def lane(first: int) -> None:
        line = _line(server)
        for start in range(first * TOGETHER, count, LANES * TOGETHER):
            kind, body = _parcel(range(start, min(start + TOGETHER, count)), picture)
            _ask(line, "POST", f"/api/intakes/{intake}/files", body, kind)

    with ThreadPoolExecutor(LANES) as pool:
        list(pool.map(lane, range(LANES)))
    understood = json.loads(_ask(_line(server), "POST", f"/api/intakes/{intake}/understand", b""))["understood"]
    assert understood["count"] == count
    return time.perf_counter() - started


def _parcel(numbers: range, picture: bytes) -> tuple[str, bytes]:
    """Several files as a form (RFC 7578), as a browser sends it: its kind and its bytes."""
    parts = b"".join(
        b'--edge\r\nContent-Disposition: form-data; name="files"; filename="%d"\r\nContent-Type: image/png\r\n\r\n%s\r\n'
        % (number, picture)
        for number in numbers
    )
    return "multipart/form-data; boundary=edge", parts + b"--edge--\r\n"


def _line(server: Server) -> http.client.HTTPConnection:
    return http.client.HTTPConnection("127.0.0.1", server.port, timeout=120)


def _ask(
    line: http.client.HTTPConnection, method: str, path: str, body: bytes, kind: str = "application/json"
) -> bytes:
    line.request(method, path, body, {"Content-Type": kind})
    answer = line.getresponse()
    content = answer.read()
    assert answer.status < 300, content
    return content


def _written(picture: bytes) -> float:
    """The physical limit: the same bytes written to as many files by one thread."""
    folder = Path(tempfile.mkdtemp(prefix="wiseglove-written-"))
    started = time.perf_counter()
    for number in range(MANY):
        part = folder / f"{number}.part"
        part.write_bytes(picture)
        os.replace(part, folder / f"{number}.png")
    took = time.perf_counter() - started
    shutil.rmtree(folder, ignore_errors=True)
    return took
