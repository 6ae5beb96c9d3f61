"""A colour-difference matte between the local backing and the subject's own colours.

The family of Smith and Blinn 1996 ("Blue screen matting"): the more a pixel's main colour exceeds its others, the more
backing is in it. Here the difference does not run to a constant, but from that of the backing **there** to that of the
nearest colour that is surely the subject's. All in linear light.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from wiseglove.core.keying import kernels
from wiseglove.core.keying.materials import unmixed
from wiseglove.core.keying.spread import blocks, carried_on, spread

Picture = NDArray[np.float32]
Mask = NDArray[np.uint8]
SATURATED = 0.12
"""Colour difference as a share of the brightest channel, below which a colour cannot be keyed."""
ALIKE = 0.16
"""Distance of two colours' shares of red, green and blue within which a pixel may be backing."""
DIM, BRIGHT = 0.22, 3.2
"""Brightness of the backing, in that of the sample, between which its light may vary."""
COMMON = 0.04
"""Grain up to which the smoothing before the key stays as it is; above, it grows with the grain."""
CALM, SOFTENED = 0.02, 1.5
"""Grain of a smoothed picture from which on sure backing is looked for in a softer one, and how much softer."""
AS_LIGHT, THIN = 0.8, 13
"""Share of the difference on both sides, this many pixels apart, from which on a pixel may be backing."""
GRAINS = 2
"""Pixels of the largest gap in the backing that counts as grain."""
CLEAR = 6
"""Pixels from anything doubtful beyond which backing is surely backing."""
SOLID = 0.05
"""Share of the backing's excess of its main channel over both others, below which a pixel is surely the subject's."""
SPILLED = 0.09
"""Share of the backing's light that commonly lies on dark and thin things before it."""
EVEN = 4.0
"""How much it counts, against the colours' own fit, that the shares of subject and backing make one together."""
PLAIN = 1e-2
"""How far off, as a share of the backing's squared light, an explanation counts that tells nothing of its colour."""
LEAST = 0.15
"""Alpha below which a pixel holds too little of the subject to tell its colour."""
LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)
"""Shares of linear red, green and blue in luminance (BT.709)."""
GRAIN = 4e-5
"""Squared distance of colours in linear light that tells nothing of what a pixel is mixed from."""
STEP = 4
"""Pixels to a block in which colours around are gathered."""
INNER = 2
"""Pixels that it must lie inside for that."""


class GreyError(ValueError):
    """A sample that is no colour; its text says what to do."""


@dataclass(frozen=True)
class Keyer:
    """How a backing is keyed. low, high: alpha that becomes 0, and 1. gamma: of the edge, above 1 thins it.

    balance: how much the larger of the two other channels counts against the smaller (1: only the larger).
    denoise: strength of the smoothing before the key only, against the grain that is there; 0 for none.
    """

    sample: tuple[float, float, float]
    low: float = 0.015
    high: float = 0.965
    gamma: float = 1.0
    balance: float = 0.2
    denoise: float = 1.0

    @property
    def main(self) -> int:
        """Which channel is the backing's: 0 red, 1 green, 2 blue."""
        return int(np.argmax(self.sample))

    @property
    def others(self) -> tuple[int, int]:
        """The two other channels."""
        one, other = (c for c in range(3) if c != self.main)
        return one, other


@dataclass(frozen=True)
class Spill:
    """How spill is taken out. amount: share of the excess that goes. light: share of its light that is given back.

    reach: pixels from the backing beyond which it is left; 0 where it is taken out everywhere.

    colour: of what is given back, linear; None for an even grey.
    """

    amount: float = 1.0
    light: float = 0.5
    reach: float = 0.0
    colour: tuple[float, float, float] | None = None


@dataclass(frozen=True)
class Keyed:
    """alpha (h, w), and the local backing that it was made from (h, w, 3)."""

    alpha: Picture
    backing: Picture


@dataclass(frozen=True)
class Prepared:
    """A picture smoothed, its backing, the subject's own colours (h, w, 3), and where it is surely clear (h, w)."""

    calm: Picture
    backing: Picture
    own: Picture
    clear: Mask


def sampled(pictures: list[Picture]) -> tuple[float, float, float]:
    """The backing's colour from parts of pictures (h, w, 3), linear. Raises GreyError for one that is no colour."""
    pixels = np.concatenate([p[..., :3].reshape(-1, 3) for p in pictures])
    middle = np.median(pixels, axis=0)
    others = np.delete(middle, int(np.argmax(middle)))
    if middle.max() <= 1e-4 or middle.max() - others.max() < SATURATED * middle.max():
        raise GreyError(
            "The sample is nearly grey, so it cannot be told from the subject by its colour. Take it from the coloured "
            "backing, near the subject's edge."
        )
    off = np.abs(pixels / np.maximum(pixels.sum(1, keepdims=True), 1e-5) - middle / middle.sum()).sum(1)
    if np.mean(off > 2 * ALIKE) > 0.25:
        raise GreyError(
            "The sample holds different colours, as if part of it lay on the subject. Take a smaller one, on the backing only."
        )
    return float(middle[0]), float(middle[1]), float(middle[2])


def surely_backing(picture: Picture, keyer: Keyer) -> Mask:
    """Where a picture (h, w, 3) is backing for certain, 1 or 0, (h, w): of its hue, as light as around, away from all else.

    Thin dark things such as hair leave the backing's hue and take only some of its light, so what is darker than both
    sides of it is not backing (a black top-hat; Serra 1982). A shadow is wider, and is backing.
    """
    if grain(picture, keyer) > CALM:
        picture = np.asarray(cv2.GaussianBlur(picture, (0, 0), SOFTENED), np.float32)
    wanted = np.array(keyer.sample, np.float32)
    near, steps = np.empty(picture.shape[:2], np.uint8), np.empty(picture.shape[:2], np.uint8)
    gain = np.float32(255 / max(2 * float(np.ptp(wanted)), 1e-3))
    kernels.alike(picture, wanted / wanted.sum(), wanted.sum(), np.float32(ALIKE), np.float32(DIM),
        np.float32(BRIGHT), keyer.main, *keyer.others, gain, near, steps,
    )  # fmt: skip
    around = cv2.morphologyEx(steps, cv2.MORPH_CLOSE, np.ones((THIN, THIN), np.uint8))
    light = near.view(bool) & (steps >= cv2.convertScaleAbs(around, alpha=AS_LIGHT))
    return _eroded(_without_grain(light.view(np.uint8)), CLEAR)


def grain(picture: Picture, keyer: Keyer) -> float:
    """How strong the grain of the backing is in a picture (h, w, 3): its standard deviation as a share of the light there."""
    one, other = picture[::7, :-1:7, keyer.main], picture[::7, 1::7, keyer.main]
    width = min(one.shape[1], other.shape[1])
    one, other = one[:, :width], other[:, :width]
    level = np.minimum(one, other)
    lit = level > 0.3 * keyer.sample[keyer.main]
    if not lit.any():
        return 0.0
    # Two neighbours differ by the square root of two times the deviation; 0.6745 is the normal distribution's quartile.
    return float(np.median(np.abs(one - other)[lit] / level[lit])) / (0.6745 * 2**0.5)


def _without_grain(mask: Mask) -> Mask:
    """A mask (0 or 1) without gaps that fit in GRAINS x GRAINS pixels, which grain makes: all around such a square is 1."""
    side = GRAINS + 2
    ring = np.ones((side, side), np.uint8)
    ring[1:-1, 1:-1] = 0
    # A square is found at its first pixel, and put back from there.
    whole = cv2.erode(mask, ring, anchor=(1, 1))
    back = cv2.dilate(whole, np.ones((GRAINS, GRAINS), np.uint8), anchor=(GRAINS - 1, GRAINS - 1))
    return np.asarray(np.maximum(mask, back), np.uint8)


def prepare(picture: Picture, keyer: Keyer, clean: Picture | None = None, core: Picture | None = None) -> Prepared:
    """What a picture (h, w, 3; linear) is keyed from. clean: the same without the subject. core: surely inside, 0..1."""
    seen = np.ascontiguousarray(picture, np.float32)
    calm = _calm(seen, keyer.denoise * max(1.0, grain(seen, keyer) / COMMON))
    clear = surely_backing(calm, keyer)
    if core is not None:
        clear = np.asarray(cv2.dilate((core >= 0.02).view(np.uint8), _disc(2)) < clear).view(np.uint8)
    if clean is not None:
        backing = np.ascontiguousarray(clean, np.float32)
    elif clear.any():
        backing = spread(calm, clear, step=STEP)
    else:
        backing = np.broadcast_to(np.array(keyer.sample, np.float32), picture.shape).copy()
    # What exceeds none of the other channels is no backing, however light it is.
    solid = np.empty(clear.shape, np.uint8)
    kernels.foreign(calm, backing, keyer.main, *keyer.others, np.float32(SOLID), solid)
    solid = _eroded(solid, INNER)
    if core is not None:
        solid |= (core > 0.98).view(np.uint8)
    # Without anything solid the subject counts as dark.
    own = _own(calm, solid, backing, core, keyer) if solid.any() else np.zeros_like(calm)
    return Prepared(calm, backing, own, _eroded(clear, CLEAR))


def _own(calm: Picture, solid: Mask, backing: Picture, core: Picture | None, keyer: Keyer) -> Picture:
    """The subject's own colours (h, w, 3) from what looks solid, carried on to everywhere."""
    top, share = blocks(solid.shape, STEP)
    kernels.gathered(calm, solid, STEP, top, share)
    size = share.shape[::-1]
    there = np.asarray(cv2.resize(backing, size, interpolation=cv2.INTER_AREA), np.float32)
    inside = None if core is None else np.asarray(cv2.resize(core, size, interpolation=cv2.INTER_AREA), np.float32)
    top = unmixed(top, share, there, inside, (keyer.main, *keyer.others))
    return carried_on(top, share, solid.shape, STEP)


def matte(prepared: Prepared, keyer: Keyer) -> Picture:
    """The matte (h, w) of a prepared picture: quick, for where only the ends or the gamma change."""
    alpha = np.empty(prepared.clear.shape, np.float32)
    kernels.mattes(prepared.calm, prepared.backing, prepared.own, prepared.clear, keyer.main, *keyer.others, np.float32(keyer.balance),
        np.float32(keyer.low), np.float32(keyer.high), np.float32(GRAIN), np.float32(SPILLED), np.float32(EVEN),
        np.float32(PLAIN), alpha,
    )  # fmt: skip
    return alpha if keyer.gamma == 1.0 else np.asarray(alpha ** np.float32(keyer.gamma), np.float32)


def key(picture: Picture, keyer: Keyer, clean: Picture | None = None, core: Picture | None = None) -> Keyed:
    """The matte of a picture (h, w, 3; linear), with what it was made from; see `prepare`."""
    prepared = prepare(picture, keyer, clean, core)
    return Keyed(matte(prepared, keyer), prepared.backing)


def finished(alpha: Picture, core: Picture | None, garbage: Picture | None) -> Picture:
    """(key united with core) without garbage; all (h, w), 0..1."""
    if core is None and garbage is None:
        return alpha
    out, none = np.empty(alpha.shape, np.float32), np.zeros((1, 1), np.float32)
    own, less = (none if m is None else np.ascontiguousarray(m, np.float32) for m in (core, garbage))
    kernels.united(np.ascontiguousarray(alpha, np.float32), own, less, out)
    return out


def shrunk(alpha: Picture, pixels: float) -> Picture:
    """A matte shrunk, or grown where negative, by any number of pixels: whole erosions, blended in between."""
    if pixels == 0:
        return alpha
    move = cv2.erode if pixels > 0 else cv2.dilate
    whole = int(abs(pixels))
    part = abs(pixels) - whole
    near = move(alpha, _disc(whole)) if whole else alpha
    if part < 1e-6:
        return np.asarray(near, np.float32)
    far = move(alpha, _disc(whole + 1))
    return np.asarray(cv2.addWeighted(near, 1 - part, far, part, 0), np.float32)


def subject(
    picture: Picture,
    alpha: Picture,
    backing: Picture,
    keyer: Keyer,
    spill: Spill | None = None,
    behind: Picture | None = None,
) -> Picture:
    """The subject's own colours (h, w, 3), unpremultiplied: the backing taken out of edges and its spill limited.

    Where there is too little of the subject to report, the colours around go on. What exceeds the others by more than it may
    is taken from the main channel, and the light that goes is given back evenly, in a colour, or in that of what lies
    `behind` (h, w, 3) each pixel.
    """
    how = spill or Spill()
    if behind is not None:
        tint = np.asarray(behind / np.maximum(behind @ LUMA, 1e-3)[..., None], np.float32)
    else:
        colour = np.ones(3, np.float32) if how.colour is None else np.array(how.colour, np.float32)
        tint = (colour / max(float(colour @ LUMA), 1e-3))[None, None]
    top, share = blocks(alpha.shape, STEP)
    way = (
        keyer.main, *keyer.others, np.float32(keyer.balance), _amounts(alpha, how),
        tint * np.float32(how.light * LUMA[keyer.main]), np.float32(LEAST),
    )  # fmt: skip
    kernels.sure_means(picture, alpha, backing, *way, STEP, top, share)
    own = carried_on(top, share, alpha.shape, STEP)
    kernels.completed(picture, alpha, backing, *way, own)
    return own


def _amounts(alpha: Picture, how: Spill) -> Picture:
    """How much of the spill goes at each pixel, (h, w), or everywhere, (1, 1)."""
    if how.reach <= 0:
        return np.full((1, 1), how.amount, np.float32)
    away = cv2.distanceTransform((alpha > 0.5).astype(np.uint8), cv2.DIST_L2, 3)
    return np.asarray(np.float32(how.amount) * np.clip(2 - away * np.float32(2 / how.reach), 0, 1), np.float32)


def _calm(picture: Picture, strength: float) -> Picture:
    """Grain smoothed a little, edges kept (bilateral, Tomasi and Manduchi 1998), in about even steps of lightness."""
    if strength <= 0:
        return picture
    values = picture.reshape(len(picture), -1)
    roots = np.empty(values.shape, np.uint8)
    kernels.to_roots(values, roots)
    smooth = cv2.bilateralFilter(roots.reshape(picture.shape), 5, 255 * 0.045 * strength, 1.4)
    out = np.empty_like(values)
    kernels.from_roots(smooth.reshape(values.shape), values, out)
    return out.reshape(picture.shape)


def _eroded(mask: Mask, radius: int) -> Mask:
    """A mask (0 or 1) without what is nearer than a radius, across, down or aslant, to where it is 0."""
    side = 2 * radius + 1
    return np.asarray(cv2.erode(mask, np.ones((side, side), np.uint8)), np.uint8)


def _disc(radius: int) -> Mask:
    return np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * radius + 1, 2 * radius + 1)), np.uint8)
