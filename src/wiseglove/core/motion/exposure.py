"""How a plate was exposed, learnt from its fast frames."""

from __future__ import annotations

import numpy as np

from wiseglove.core.motion.moments import SHUTTER


class Exposure:
    """How long the shutter is open, and whether blur adds up in linear light, learnt from the first fast frames."""

    CHOICES = tuple((shutter, linear) for linear in (True, False) for shutter in (0.5, 0.25, 0.75, 1.0, 0.05))
    ENOUGH = 6
    FAST = 8.0
    """Pixels of travel a frame from which blur can be told."""
    CLEAR = 0.03
    """Share by which another exposure must explain fast frames better than the usual one."""
    FAR_OFF = 0.1
    """Share by which one that explains them worse than the best is not tried again."""

    def __init__(self) -> None:
        self.shutter, self.linear = SHUTTER, True
        self._totals = np.zeros(len(self.CHOICES))
        self._seen = 0
        self.open = list(range(len(self.CHOICES)))
        """Which of CHOICES may still be the one; the usual one is always there to compare with."""

    def learn(self, energies: list[float]) -> None:
        """Take in a frame's residual under each of CHOICES that is still open."""
        values = np.array(energies)
        if not np.isfinite(values).all():
            return
        self._totals[self.open] += values / values[0] - 1
        self._seen += 1
        least = float(self._totals[self.open].min())
        self.open = [i for i in self.open if i == 0 or self._totals[i] < least + self.FAR_OFF * self._seen]
        best = min(self.open, key=lambda i: float(self._totals[i]))
        self.shutter, self.linear = self.CHOICES[best if self._totals[best] < -self.CLEAR * self._seen else 0]

    @property
    def learning(self) -> bool:
        """Whether another fast frame would help."""
        return self._seen < self.ENOUGH

    def same_as(self, other: Exposure) -> bool:
        """Whether both take a frame to be exposed in the same way."""
        return (self.shutter, self.linear) == (other.shutter, other.linear)
