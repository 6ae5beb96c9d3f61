"""Random edits of every kind that fit a shot as it is; what a shot refuses is part of the game."""

from __future__ import annotations

from collections.abc import Callable
from random import Random
from typing import Any, get_args

from pydantic import TypeAdapter

from tests.strategies import blob
from wiseglove.shot.edits import Edit
from wiseglove.shot.evaluated import EvaluatedShot
from wiseglove.shot.keys import as_points
from wiseglove.shot.model import Carrier, Cover, Group, Outline, Pane
from wiseglove.shot.subject import Subject

Body = dict[str, Any]
KINDS: list[str] = sorted(get_args(member.model_fields["type"].annotation)[0] for member in get_args(get_args(Edit)[0]))
_edit: TypeAdapter[Edit] = TypeAdapter(Edit)


class NothingToEditError(Exception):
    """A shot has nothing that an edit of a kind could be about."""


class Maker:
    """Makes edits for one state of a shot."""

    def __init__(self, shot: EvaluatedShot, random: Random) -> None:
        self.shot, self.random = shot, random

    def edit(self, kind: str) -> Edit:
        """An edit of a kind. Raises NothingToEditError."""
        body = getattr(self, kind.replace("-", "_"))()
        return _edit.validate_python({"type": kind, **body})

    # -- parts -----------------------------------------------------------------------------------------------

    def any_of(self, wanted: Any, such: Callable[[Any], bool] = lambda e: True) -> Any:
        found = [e for e in self.shot.elements.values() if isinstance(e, wanted) and such(e)]
        if not found:
            raise NothingToEditError
        return self.random.choice(sorted(found, key=lambda e: e.id))

    def id_of(self, wanted: Any) -> str:
        return str(self.any_of(wanted).id)

    def frame(self) -> int:
        return self.random.randint(self.shot.plate.first, self.shot.plate.last)

    def amount(self, least: float, most: float) -> float:
        return round(self.random.uniform(least, most), 3)

    def places(self, count: int = 6) -> list[Any]:
        centre = (self.amount(45, 80), self.amount(35, 60))
        return as_points(blob(self.random.randint(0, 999), count, centre, 20.0))

    def quad(self) -> list[list[float]]:
        x, y = self.amount(10, 30), self.amount(10, 25)
        corners = [(x, y), (x + 80, y), (x + 80, y + 55), (x, y + 55)]
        return [[a + self.amount(-4, 4), b + self.amount(-4, 4)] for a, b in corners]

    def keyed(self) -> tuple[str, list[int]]:
        element = self.any_of((Outline, Pane, Subject))
        frames = [k.frame for k in element.keys]
        return element.id, sorted(self.random.sample(frames, self.random.randint(1, len(frames))))

    def name(self) -> str:
        return self.random.choice(["Glove", "Thumb", "Trowel", "Leaf", "Lantern"])

    def maybe(self, value: Any) -> Any:
        return value if self.random.random() < 0.5 else None

    def region(self) -> Body:
        carrier = self.any_of(Carrier, lambda c: c.patches)
        what = "blind" if carrier.blind and self.random.random() < 0.6 else "patch"
        regions = carrier.blind if what == "blind" else carrier.patches
        return {"carrier": carrier.id, "what": what, "index": self.random.randrange(len(regions))}

    # -- one for each kind -----------------------------------------------------------------------------------

    def add_cover(self) -> Body:
        points = self.places(self.random.randint(4, 8))
        return {
            "frame": self.frame(),
            "name": self.name(),
            "outline": {"kinds": ["smooth"] * len(points), "points": points},
        }

    def add_covers(self) -> Body:
        covers = [self.add_cover() for _ in range(self.random.randint(1, 3))]
        return {"frame": self.frame(), "covers": [{"name": c["name"], "outline": c["outline"]} for c in covers]}

    def add_outline(self) -> Body:
        points = self.places()
        mode = self.random.choice(["adds", "cuts", "limits"])
        draft = {"kinds": ["free"] * len(points), "points": points}
        return {"cover": self.id_of(Cover), "frame": self.frame(), "mode": mode, "outline": draft}

    def shape_points(self) -> Body:
        element = self.any_of((Outline, Pane, Subject))
        frame = self.frame()
        shape = self.shot.rider(element).shape_at(frame)
        some = self.random.sample(range(len(shape)), self.random.randint(1, len(shape)))
        moved = {
            i: [*(shape[i, :2] + (self.amount(-3, 3), self.amount(-3, 3))).tolist(), *shape[i, 2:].tolist()]
            for i in some
        }
        reach = self.random.choice(["frame", "frame", "all", "onward", "range"])
        within = {"first": frame - 2, "last": frame + 2, "soft": 3} if reach == "range" else None
        return {"element": element.id, "frame": frame, "points": moved, "reach": reach, "within": within}

    def set_key(self) -> Body:
        return {"element": self.id_of((Outline, Pane, Subject)), "frame": self.frame()}

    def set_keys(self) -> Body:
        outline = self.any_of(Outline)
        return {"outline": outline.id, "shapes": {self.frame(): self.places(len(outline.kinds)) for _ in range(2)}}

    def delete_keys(self) -> Body:
        element, frames = self.keyed()
        return {"element": element, "frames": frames}

    def move_keys(self) -> Body:
        element, frames = self.keyed()
        return {
            "element": element,
            "frames": frames,
            "by": self.random.randint(-3, 3),
            "copies": self.random.random() < 0.3,
        }

    def stretch_keys(self) -> Body:
        element, frames = self.keyed()
        first, last = sorted((self.frame(), self.frame()))
        return {"element": element, "frames": frames, "first": first, "last": last}

    def turn_keys(self) -> Body:
        outline = self.any_of(Outline)
        return {
            "outline": outline.id,
            "frame": self.random.choice(outline.keys).frame,
            "turns": self.random.randint(-2, 2),
        }

    def thin_out(self) -> Body:
        return {"outline": self.id_of(Outline), "tolerance": self.amount(0.3, 5)}

    def ease_keys(self) -> Body:
        element, frames = self.keyed()
        ease = self.random.choice(["smooth", "linear", "hold", "curve"])
        curve = [0.3, 0.1, 0.6, 1.1] if ease == "curve" else None
        return {"element": element, "frames": frames, "ease": ease, "curve": curve}

    def looks_right(self) -> Body:
        return {"outline": self.id_of(Outline), "frame": self.frame(), "right": self.random.random() < 0.8}

    def insert_point(self) -> Body:
        outline = self.any_of(Outline)
        return {"outline": outline.id, "segment": self.random.randrange(len(outline.kinds)), "t": self.amount(0.2, 0.8)}

    def remove_points(self) -> Body:
        outline = self.any_of(Outline)
        return {"outline": outline.id, "indices": [self.random.randrange(len(outline.kinds))]}

    def set_point_kind(self) -> Body:
        outline = self.any_of(Outline)
        kind = self.random.choice(["corner", "smooth", "free"])
        return {"outline": outline.id, "indices": [self.random.randrange(len(outline.kinds))], "kind": kind}

    def mirror(self) -> Body:
        return {"outline": self.id_of(Outline), "across": self.random.random() < 0.5}

    def set_cover(self) -> Body:
        sent: Body = self.random.choice(
            [
                {"name": self.name()}, {"shown": self.random.random() < 0.7}, {"locked": self.random.random() < 0.2},
                {"grow": self.amount(-2, 2)}, {"shutter": 180.0}, {"first": self.frame()}, {"fade_in": 2},
                {"colour": "#56b4e9"}, {"first": None},
            ]
        )  # fmt: skip
        return {"cover": self.id_of(Cover), **sent}

    def set_outline(self) -> Body:
        sent: Body = self.random.choice(
            [{"mode": "cuts"}, {"last": self.frame()}, {"pivot": [60.0, 50.0], "frame": self.frame()}, {"pivot": None}]
        )
        return {"outline": self.id_of(Outline), **sent}

    def group_covers(self) -> Body:
        covers = [c.id for c in self.shot.covers]
        if not covers:
            raise NothingToEditError
        return {"covers": self.random.sample(covers, self.random.randint(1, len(covers)))}

    def ungroup(self) -> Body:
        return {"group": self.id_of(Group)}

    def set_group(self) -> Body:
        return {
            "group": self.id_of(Group),
            **self.random.choice([{"shown": False}, {"folded": True}, {"name": "Hand"}]),
        }

    def shift_covers(self) -> Body:
        reach = self.random.choice(["frame", "all"])
        return {
            "covers": [self.id_of(Cover)],
            "frame": self.frame(),
            "dx": self.amount(-4, 4),
            "dy": 1.0,
            "reach": reach,
        }

    def paste(self) -> Body:
        outline = self.any_of(Outline)
        cover = self.shot.find(outline.cover, Cover)
        assert cover is not None
        what = {"cover": cover.model_dump(), "outlines": [self.shot.let_go(outline).model_dump()]}
        return {
            "what": what,
            "into": self.maybe(self.id_of(Cover)),
            "frame": self.maybe(self.frame()),
            "offset": [3.0, 2.0],
        }

    def duplicate(self) -> Body:
        return {"cover": self.id_of(Cover), "offset": [4.0, 4.0]}

    def add_pane(self) -> Body:
        return {"frame": self.frame(), "corners": self.quad()}

    def set_pane(self) -> Body:
        sent: Body = self.random.choice(
            [
                {"opacity": self.amount(0, 1)},
                {"radius": 0.1},
                {"bow": 0.05},
                {"name": self.name()},
                {"shown": False},
                {"wipe": {"on": True, "shown": 0.5}},
                {"placement": {"fit": "fill", "turn": 12.0}},
                {"floats": None},
                {"sit": {"sharp": {"on": True, "soft": 1.2}}},
                {"pieces": [{"id": "piece", "name": "Black", "source": "solid"}]},
            ]
        )
        return {"pane": self.id_of(Pane), **sent}

    def set_value(self) -> Body:
        path = self.random.choice(["opacity", "wipe.shown", "sit.grain.amount", "placement.scale", "soft"])
        pane = self.id_of(Pane)
        return {"pane": pane, "path": path, "frame": self.frame(), "value": self.amount(0.1, 1)}

    def add_subject(self) -> Body:
        return {"frame": self.frame(), "pane": self.maybe(self.id_of(Pane))}

    def set_subject(self) -> Body:
        sent: Body = self.random.choice(
            [
                {"opacity": 0.4}, {"core": [self.id_of(Cover)]}, {"garbage": [self.id_of(Cover)]}, {"near": 20.0},
                {"clean_up": {"grow": {"on": True, "amount": -1.0}}}, {"pane": None}, {"key": {"low": 0.1, "high": 0.8}},
            ]
        )  # fmt: skip
        return {"subject": self.id_of(Subject), **sent}

    def add_carrier(self) -> Body:
        return {"frame": self.frame(), "patch": self.places()}

    def add_hand_carrier(self) -> Body:
        return {"frame": self.frame(), "corners": self.quad()}

    def carry_cover(self) -> Body:
        return {"outline": self.id_of(Outline), "frame": self.frame()}

    def add_point(self) -> Body:
        carrier = self.random.choice([None, *(c.id for c in self.shot.carriers if c.points)])
        return {"frame": self.frame(), "place": [self.amount(20, 100), self.amount(20, 80)], "carrier": carrier}

    def _point(self) -> Body:
        carrier = self.any_of(Carrier, lambda c: c.points)
        return {"carrier": carrier.id, "point": self.random.choice(carrier.points).id}

    def set_point(self) -> Body:
        return {**self._point(), **self.random.choice([{"pattern": 41}, {"search": 101}, {"place": [50.0, 40.0]}])}

    def remove_point(self) -> Body:
        return self._point()

    def add_joint(self) -> Body:
        outline = self.any_of(Outline, lambda o: o.rides)
        line = [[10.0, self.amount(35, 60)], [120.0, self.amount(35, 60)]]
        return {"outline": outline.id, "carrier": self.id_of(Carrier), "frame": self.frame(), "line": line}

    def _joint(self) -> Body:
        outline = self.any_of(Outline, lambda o: o.joints)
        return {"outline": outline.id, "index": self.random.randrange(len(outline.joints))}

    def set_joint(self) -> Body:
        return {**self._joint(), **self.random.choice([{"width": 30.0}, {"swapped": True}])}

    def remove_joint(self) -> Body:
        return self._joint()

    def pin_corner(self) -> Body:
        return {"pane": self.id_of(Pane), "index": self.random.randrange(4), "carrier": self.maybe(self.id_of(Carrier))}

    def add_region(self) -> Body:
        what = self.random.choice(["patch", "blind"])
        return {"carrier": self.id_of(Carrier), "what": what, "frame": self.frame(), "points": self.places()}

    def remove_region(self) -> Body:
        return self.region()

    def shape_region(self) -> Body:
        region = self.region()
        carrier = self.shot.find(region["carrier"], Carrier)
        assert carrier is not None
        held = (carrier.blind if region["what"] == "blind" else carrier.patches)[region["index"]]
        return {**region, "frame": self.frame(), "points": self.places(len(held.points))}

    def freeze_region(self) -> Body:
        return {**self.region(), "frame": self.frame()}

    def ride_region(self) -> Body:
        return {**self.region(), "rides": self.maybe(self.id_of(Carrier))}

    def renew_reference(self) -> Body:
        return {"carrier": self.id_of(Carrier), "frame": self.frame(), "renew": self.random.random() < 0.7}

    def set_carrier(self) -> Body:
        sent: Body = self.random.choice(
            [{"smoothing": 2}, {"name": self.name()}, {"margin": 3}, {"begins": self.id_of(Carrier)}, {"locked": False}]
        )
        return {"carrier": self.id_of(Carrier), **sent}

    def keep_solution(self) -> Body:
        carrier = self.any_of(Carrier)
        first = self.frame()
        places = []
        for frame in range(first, min(first + self.random.randint(1, 6), self.shot.plate.last + 1)):
            status = self.random.choice(["solved", "solved", "unsure", "lost"])
            by = (self.amount(-6, 6), self.amount(-4, 4))
            corners = None if status == "lost" else [[x + by[0], y + by[1]] for x, y in carrier.base]
            places.append({"frame": frame, "corners": corners, "status": status, "confidence": self.amount(0, 1)})
        return {"carrier": carrier.id, "places": places}

    def clear_solution(self) -> Body:
        first, last = sorted((self.frame(), self.frame()))
        return {"carrier": self.id_of(Carrier), "first": first, "last": last}

    def set_by_hand(self) -> Body:
        carrier, frame = self.any_of(Carrier), self.frame()
        motion = self.shot.motion(carrier)
        quad = motion.quads[frame - motion.first] + (self.amount(-5, 5), self.amount(-5, 5))
        how = self.random.choice(["bridge", "correction"])
        return {"carrier": carrier.id, "frame": frame, "how": how, "corners": self.maybe(quad.tolist())}

    def ride(self) -> Body:
        return {"elements": [self.id_of((Cover, Pane, Outline))], "carrier": self.maybe(self.id_of(Carrier))}

    def delete(self) -> Body:
        return {"element": self.id_of((Cover, Pane, Outline, Carrier, Group, Subject))}

    def order_depth(self) -> Body:
        depth = list(self.shot.settings.depth)
        self.random.shuffle(depth)
        return {"depth": depth}

    def set_shot(self) -> Body:
        return self.random.choice(
            [{"name": f"Tap {self.random.randint(1, 99)}"}, {"mixing": "encoded"}, {"mixing": "linear"}]
        )
