"""The commands on shot files, as a farm or a terminal gives them."""

from __future__ import annotations

import json
import os
import resource
from pathlib import Path

import cv2
import numpy as np
import pytest
from typer.testing import CliRunner

from tests.builders import HEIGHT, WIDTH, write_movie
from wiseglove.cli import app

SVG = f"""<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {HEIGHT}">
<circle id="Thumb" cx="40" cy="40" r="20"/><rect id="Card" x="70" y="30" width="40" height="30"/></svg>"""


def told(*words: object) -> tuple[int, str]:
    done = CliRunner().invoke(app, [str(w) for w in words])
    assert done.exception is None or isinstance(done.exception, SystemExit), done.exception
    return done.exit_code, done.output


@pytest.fixture
def shot(tmp_path: Path) -> Path:
    plate = write_movie(tmp_path / "tap.mp4", 26)
    path = tmp_path / "tap.shot.json"
    code, said = told("new", plate, "--out", path, "--name", "Panel tap")
    assert (code, "128x96, frames 1001 to 1026, 25 a second" in said) == (0, True)
    (tmp_path / "a.svg").write_text(SVG)
    (tmp_path / "corners.csv").write_text("frame,x1,y1,x2,y2,x3,y3,x4,y4\n1001,20,15,105,18,100,80,22,76\n")
    assert told("import", path, tmp_path / "a.svg") == (0, "Card: 1 outline, 1 key\nThumb: 1 outline, 1 key\n")
    assert told("import", path, tmp_path / "corners.csv", "--name", "Screen")[0] == 0
    return path


def test_mattes_composite_delivery_and_check(shot: Path, tmp_path: Path) -> None:
    for number, (how, count, depth) in enumerate(
        [
            ((), 26, "uint8"), (("--cover", "Thumb", "--depth", "16", "--range", "1003:1005"), 3, "uint16"),
            (("--pane", "Screen", "--holdout", "--depth", "16", "--format", "tiff", "--range", "1003:1003"), 1, "uint16"),
        ]
    ):  # fmt: skip
        out = tmp_path / f"m{number}"
        code, said = told("matte", shot, *how, "--out", out)
        assert code == 0, said
        pictures = [p for p in sorted(out.iterdir()) if p.suffix != ".json"]
        assert len(pictures) == count
        seen = cv2.imread(str(pictures[0]), cv2.IMREAD_UNCHANGED)
        assert (seen.dtype.name, seen.shape, seen.max() > 0) == (depth, (HEIGHT, WIDTH), True)
    assert told("composite", shot, "--out", tmp_path / "c.mp4")[0] == 0
    reader = cv2.VideoCapture(str(tmp_path / "c.mp4"))
    assert reader.get(cv2.CAP_PROP_FRAME_COUNT) == 26
    out = tmp_path / "delivery"
    assert told("deliver", shot, "--preset", "Everything by itself", "--out", out, "--range", "1001:1002")[0] == 0
    assert told("check", out)[0] == 0
    (picture, *_) = sorted(out.rglob("*matte.1001.png"))
    picture.write_bytes(picture.read_bytes()[:-9])
    code, said = told("check", out)
    assert code == 1
    assert "bytes, not" in said


def test_wrong_use_ends_with_two_and_a_failure_with_one(shot: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    full = tmp_path / "full"
    full.mkdir()
    (full / "mine.txt").write_text("keep")
    (tmp_path / "no.json").write_text('{"kind": "other"}')
    wrong = [
        ("matte", shot, "--cover", "Gone", "--out", out), ("matte", shot, "--range", "9:1", "--out", out),
        ("matte", shot, "--holdout", "--out", out), ("matte", shot, "--depth", "8", "--format", "exr", "--out", out),
        ("deliver", shot, "--preset", "Nothing", "--out", out), ("check", tmp_path), ("check", tmp_path / "none"),
        ("matte", tmp_path / "none.json", "--out", out), ("matte", tmp_path / "no.json", "--out", out),
        ("import", shot, tmp_path / "none.svg"), ("import", shot, tmp_path / "tap.mp4", "--at", "5000"),
    ]  # fmt: skip
    for words in wrong[:10]:
        code, said = told(*words)
        assert code == 2, (words, said)
        assert said.strip().endswith(".")
        assert not out.exists()
    for words in (("matte", shot, "--out", full), ("new", tmp_path / "none.mp4", "--out", tmp_path / "x.json")):
        code, said = told(*words)
        assert code == 1, said
    assert sorted(os.listdir(full)) == ["mine.txt"]
    (tmp_path / "tap.mp4").unlink()
    code, said = told("matte", shot, "--out", tmp_path / "m")
    assert code in (0, 1)  # mattes need no picture of the plate
    code, said = told("composite", shot, "--out", tmp_path / "c.mp4")
    assert code == 1
    assert "cannot be found beside it" in said


def test_a_preset_of_ones_own(shot: Path, tmp_path: Path) -> None:
    preset = tmp_path / "p.json"
    preset.write_text(
        json.dumps({"items": [{"what": "cover", "form": "exr-half", "together": "channels"}], "last": 1002})
    )
    assert told("deliver", shot, "--preset", preset, "--out", tmp_path / "d")[0] == 0
    manifest = json.loads((tmp_path / "d" / "manifest.json").read_text())
    assert [f["channels"] for f in manifest["files"]] == [["Card", "Thumb"]] * 2
    preset.write_text('{"items": [{"what": "composite", "form": "csv"}]}')
    code, said = told("deliver", shot, "--preset", preset, "--out", tmp_path / "e")
    assert code == 2
    assert "cannot be written as csv" in said


def test_a_review_tells_where_to_look_and_ends_with_three_where_it_is_worse_than_allowed(
    shot: Path, tmp_path: Path
) -> None:
    code, said = told("review", shot, "--out", tmp_path / "fine", "--range", "1001:1006")
    assert (code, "2 outlines on frames 1001 to 1006" in said) == (0, True), said
    report = json.loads((tmp_path / "fine" / "review.json").read_text())
    assert [o["cover"] for o in report["outlines"]] == ["Card", "Thumb"]
    assert sum(f is not None for f in report["outlines"][0]["fault"]) == 6
    page = (tmp_path / "fine" / "index.html").read_text()
    for place in (*report["worst"], *report["holes"]):
        if place["picture"] is not None:
            assert (tmp_path / "fine" / place["picture"]).is_file()
            assert place["picture"] in page
    assert report["pins"] >= len(report["worst"])
    assert (report["notes"], report["seconds"]) == ([], None)
    limits = ("--max-fault", "0", "--max-boil", "0", "--max-holes", "0", "--no-holes", "--everything")
    code, said = told("review", shot, "--out", tmp_path / "strict", "--range", "1001:1003", *limits)
    assert (code, "more than 0 px." in said) == (3, True), said
    assert json.loads((tmp_path / "strict" / "review.json").read_text())["exceeded"]
    assert told("review", shot, "--out", tmp_path / "strict")[0] == 1
    code, said = told("review", shot, "--out", tmp_path / "r", "--range", "1001:4000")
    assert (code, "does not lie in the plate" in said) == (2, True), said


def test_a_review_tells_open_notes_and_minutes_of_a_shot_file_that_has_them(shot: Path, tmp_path: Path) -> None:
    noted = shot.with_name("noted.json")
    notes = [{"frame": 1002, "text": "Thumb <here>"}, {"frame": 1003, "text": "was that", "done": True}]
    beside = {"notes": notes, "seconds": 960.0, "budget": 900.0, "unknown": 1}
    noted.write_text(json.dumps({**json.loads(shot.read_text()), "beside": beside}))
    words = ("review", noted, "--range", "1001:1002", "--no-holes")
    assert told(*words, "--out", tmp_path / "fine", "--max-notes", "1", "--max-over-budget", "1")[0] == 0
    page = (tmp_path / "fine" / "index.html").read_text()
    assert "16 minutes were spent on it of 15." in page
    assert "Thumb &lt;here&gt;" in page
    assert "was that" not in page
    code, said = told(*words, "--out", tmp_path / "strict", "--max-notes", "0", "--max-over-budget", "0.5")
    assert code == 3
    assert "Open notes: 1, more than 0." in said
    assert "over the budget by 1, more than 0.5." in said


def test_where_the_disk_is_full_what_was_made_stays_and_the_same_command_goes_on(shot: Path, tmp_path: Path) -> None:
    out = tmp_path / "delivery"
    words = ("deliver", shot, "--preset", "Review", "--out", out, "--range", "1001:1004")
    before = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (3000, before[1]))  # no file may grow longer, as on a disk without room
    try:
        code, said = told(*words)
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, before)
    assert (code, "full" in said, "Make room" in said) == (1, True, True), said
    assert not (out / "manifest.json").exists()
    assert told(*words)[0] == 0
    assert told("check", out)[0] == 0


def test_a_plate_is_read_by_its_table_and_only_by_that(shot: Path, tmp_path: Path) -> None:
    swap = "LUT_3D_SIZE 2\n" + "\n".join(f"{g} {r} {b}" for b in (0, 1) for g in (0, 1) for r in (0, 1))
    table, graded = tmp_path / "swap.cube", tmp_path / "graded.json"
    table.write_text(swap)
    assert told("new", tmp_path / "tap.mp4", "--lut", table, "--out", graded)[0] == 0
    pictures = []
    for which in (shot, graded):
        out = tmp_path / f"composite of {which.stem}"
        assert told("composite", which, "--out", out, "--range", "1003:1003")[0] == 0
        (path,) = out.glob("*.png")
        pictures.append(cv2.imread(str(path), cv2.IMREAD_UNCHANGED).astype(float))
    held = np.s_[:12]  # above the pane, which shows a chart
    assert np.abs(pictures[1][held] - pictures[0][held][..., [0, 2, 1]]).max() <= 2 * 257
    table.write_text(swap.replace("1 1 1", "1 1 0"))
    code, said = told("composite", graded, "--out", tmp_path / "again", "--range", "1003:1003")
    assert (code, "changed since" in said) == (1, True), said
    table.unlink()
    code, said = told("composite", graded, "--out", tmp_path / "once more", "--range", "1003:1003")
    assert (code, "swap.cube is not there" in said) == (1, True), said
    code, said = told("new", tmp_path / "tap.mp4", "--layer", "lamp", "--out", tmp_path / "x.json")
    assert (code, "no layer “lamp”" in said) == (1, True), said
