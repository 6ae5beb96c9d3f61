from __future__ import annotations

import csv
import io

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from wiseglove.interchange import corners


@given(arrays(np.float64, st.tuples(st.integers(1, 30), st.just(4), st.just(2)), elements=st.floats(-9999, 9999)))
def test_corners_come_back_to_a_ten_thousandth_of_a_pixel(quads: np.ndarray) -> None:
    frames = np.arange(1001, 1001 + len(quads))
    again, values = corners.read(corners.write(frames, quads))
    assert (again == frames).all()
    assert np.abs(values - quads).max() <= 0.5e-4 + 1e-9


def test_a_spreadsheet_reads_it() -> None:
    text = corners.write(np.array([1001]), np.array([[[1, 2], [3, 4], [5, 6], [7, 8.25]]]))
    (row,) = csv.DictReader(io.StringIO(text))
    assert (row["frame"], row["x1"], row["y4"]) == ("1001", "1.0000", "8.2500")


def test_another_table_is_refused() -> None:
    with pytest.raises(ValueError, match="not a table of pane corners"):
        corners.read("a,b\n1,2\n")
