"""A delivery by a preset of one's own: all covers as channels of half-float EXR.

python docs/examples/own_preset.py tap.shot.json out/
"""

import sys

import wiseglove
from wiseglove.delivery.preset import Item, Preset

shot_file, out = sys.argv[1:3]
preset = Preset(
    name="Close to the pane",
    items=[Item(what="cover", form="exr-half", together="channels"), Item(what="motion", form="json")],
    handles=8,
)
with wiseglove.Shot.open(shot_file) as shot:
    manifest = shot.deliver(preset, out, said=lambda done, frames, what: print(f"{done} of {frames}, {what}"))
print(f"{len(manifest['files'])} files, read back")
