"""A new shot of a plate, with outlines made from mattes that came from elsewhere.

python docs/examples/from_mattes.py tap.mp4 mattes/ tap.shot.json
"""

import sys

import wiseglove

plate, mattes, shot_file = sys.argv[1:4]
with wiseglove.Shot.new(plate, shot_file) as shot:
    for line in shot.bring_in(mattes, cover="Glove"):
        print(line)
    shot.save()
