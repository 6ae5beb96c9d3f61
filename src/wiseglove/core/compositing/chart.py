"""The built-in test chart: a fine numbered grid with marked edges, to judge how a pane sits."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

INK, CLOTH, THREAD = (38, 44, 48), (232, 228, 216), (15, 106, 98)


def build_chart(width: int = 1280, height: int = 800, cell: int = 80) -> NDArray[np.uint8]:
    """RGB chart (height, width, 3): cells named by letter and number, fine lines, corner and edge marks."""
    chart = np.full((height, width, 3), CLOTH, np.uint8)
    for row in range(0, height, cell):
        for column in range(0, width, cell):
            if (row // cell + column // cell) % 2:
                chart[row : row + cell, column : column + cell] = (206, 203, 191)
    chart[:: cell // 8], chart[:, :: cell // 8] = (188, 186, 176), (188, 186, 176)
    chart[::cell], chart[:, ::cell] = INK, INK
    for row in range(height // cell):
        for column in range(width // cell):
            name = f"{chr(65 + row)}{column + 1}"
            at = (column * cell + 10, row * cell + cell - 14)
            cv2.putText(chart, name, at, cv2.FONT_HERSHEY_SIMPLEX, 0.75, INK, 2, cv2.LINE_AA)
    centre = (width // 2, height // 2)
    for radius in (cell, 2 * cell, 3 * cell + cell // 2):
        cv2.circle(chart, centre, radius, THREAD, 3, cv2.LINE_AA)
    cv2.line(chart, (0, 0), (width - 1, height - 1), THREAD, 2, cv2.LINE_AA)
    cv2.line(chart, (0, height - 1), (width - 1, 0), THREAD, 2, cv2.LINE_AA)
    cv2.rectangle(chart, (0, 0), (width - 1, height - 1), (176, 84, 52), 12)
    for x, y in ((0, 0), (width, 0), (width, height), (0, height)):
        left, top = min(x, width - cell), min(y, height - cell)
        chart[top : top + cell, left : left + cell][12:-12, 12:-12] = (222, 168, 60)
    return chart
