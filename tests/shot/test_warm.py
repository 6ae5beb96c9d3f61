"""Compiled loops are compiled before anybody waits for them."""

from __future__ import annotations

import subprocess
import sys

COMPILED = """
import importlib, pkgutil


def compiled():
    modules = [importlib.import_module(f"{loops.__name__}.{m.name}") for m in pkgutil.iter_modules(loops.__path__)]
    found = {f"{m.__name__}.{n}": f for m in modules for n, f in vars(m).items() if hasattr(f, "signatures")}
    return {(name, str(signature)) for name, f in found.items() for signature in f.signatures}
"""

LOOKED_AT = """
import numpy as np
import wiseglove.core.compositing as loops
from wiseglove.shot import warm
from wiseglove.shot.edits import SetPane
from wiseglove.shot.pane import SitIn
from wiseglove.shot.render import FrameScene
from wiseglove.core.compositing.pane import FINAL, PREVIEW
from tests.builders import HAND, PANE, PlainPictures, after, shot_with_hand_and_pane

warm.warm_up()
before = compiled()
assert len(before) > 15, before
rows = {"glass": {"amount": 0.5}, "shadow": {}, "edges": {}, "level": {"gamma": 1.4}, "sharp": {"soft": 2.0}}
lit = {"glow": {"amount": 0.3}, "light": {"amount": 0.3}}
for more in ({}, rows, {**rows, **lit}, {"light": {"amount": 0.3}}, {"mix": {"mode": "soft-light"}}):
    sit = SitIn.model_validate({"clean": "c" * 24, **{n: {"on": True, **r} for n, r in more.items()}}, strict=False)
    shot = after(shot_with_hand_and_pane(), SetPane(type="set-pane", pane=PANE, sit=sit))
    for scale, samples in ((1.0, FINAL), (0.5, PREVIEW)):
        for insert in ((1.0, 0.0, 0.0), (0.5, 0.0, 0.0, 0.5)):
            scene = FrameScene(shot, 1005, PlainPictures(insert), scale, samples)
            for box in (scene.whole, scene.reach_of(HAND, np.zeros((4, 8)) + [[20, 20] + [0] * 6])):
                scene.look("composite", box)
print(sorted(compiled() - before))
"""


def test_no_picture_of_a_pane_waits_for_a_loop_to_be_compiled() -> None:
    """In a process of its own: other tests have compiled whatever they used."""
    done = subprocess.run([sys.executable, "-c", COMPILED + LOOKED_AT], capture_output=True, text=True, timeout=600)
    assert done.returncode == 0, done.stderr
    assert done.stdout.strip() == "[]"


COVERED = """
import numpy as np
import wiseglove.core.behind as loops
from wiseglove.core.behind.difference import held_out
from wiseglove.shot import warm
from tests.core.behind import test_joined, test_wide

warm.warm_up()
before = compiled()
assert len(before) > 10, before
rng = np.random.default_rng(1)
cloth = np.asarray(np.tile(test_wide.JACKET, (test_wide.H, test_wide.W, 1)), np.float32)
frame, behind, _ = test_wide.passing(rng, 36, cloth)
held_out(frame, behind, 0)
skin = test_joined.AMBER * np.float32(0.5)
frame, behind = test_joined.seen(np.ones((test_joined.H, test_joined.W), np.float32), test_joined.finger(), skin, rng)
held_out(frame, behind, 4)
print(sorted(compiled() - before))
"""


def test_no_matte_of_what_covers_a_pane_does_either() -> None:
    done = subprocess.run([sys.executable, "-c", COMPILED + COVERED], capture_output=True, text=True, timeout=600)
    assert done.returncode == 0, done.stderr
    assert done.stdout.strip() == "[]"
