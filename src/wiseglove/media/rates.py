"""Rates that pictures are shot and shown at, and how far another one is from them."""

from __future__ import annotations

from fractions import Fraction

from pydantic import BaseModel

STANDARD = tuple(
    sorted(
        [Fraction(n) for n in (24, 25, 30, 48, 50, 60, 100, 120)]
        + [Fraction(n * 1000, 1001) for n in (24, 30, 48, 60, 120)]
    )
)
"""Frames a second (SMPTE ST 2036-1 and common practice)."""
CLOSE = 0.02
"""Share of a rate up to which a standard one is offered in its place."""


class StandardRate(BaseModel):
    """A standard rate in place of a file's own, and by how many frames the last picture would then be off."""

    rate_num: int
    rate_den: int
    last_off: float


def nearest_standard(rate: Fraction, count: int) -> StandardRate | None:
    """The standard rate closest to another; None where it is one, or where none is close.

    count: pictures. The last one is seen (count - 1) / rate seconds after the first.
    """
    nearest = min(STANDARD, key=lambda standard: abs(standard - rate))
    if nearest == rate or abs(nearest - rate) > CLOSE * rate:
        return None
    off = abs(float((count - 1) * (nearest / rate - 1)))
    return StandardRate(rate_num=nearest.numerator, rate_den=nearest.denominator, last_off=round(off, 3))
