from __future__ import annotations

import csv
import io

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from wiseglove.interchange import motion
from wiseglove.interchange.motion import Row

quads = arrays(np.float64, (4, 2), elements=st.floats(-9999, 9999))
rows = st.lists(
    st.tuples(st.sampled_from(["solved", "unsure", "lost", "set"]), st.floats(0, 1), st.none() | quads), min_size=1
)


@given(rows)
def test_rows_come_back_to_a_ten_thousandth_of_a_pixel(written: list[tuple[str, float, np.ndarray | None]]) -> None:
    table = [Row(1001 + i, *row) for i, row in enumerate(written)]
    for row, again in zip(table, motion.read(motion.write(table)), strict=True):
        assert (again.frame, again.status) == (row.frame, row.status)
        assert again.confidence == pytest.approx(row.confidence, abs=0.5e-3 + 1e-9)
        if row.corners is None or again.corners is None:
            assert row.corners is again.corners
        else:
            assert np.abs(again.corners - row.corners).max() <= 0.5e-4 + 1e-9


def test_a_spreadsheet_reads_it() -> None:
    text = motion.write([Row(1001, "solved", 0.5, np.array([[1, 2], [3, 4], [5, 6], [7, 8.25]]))])
    (row,) = csv.DictReader(io.StringIO(text))
    assert (row["frame"], row["status"], row["x1"], row["y4"]) == ("1001", "solved", "1.0000", "8.2500")


def test_another_table_is_refused() -> None:
    with pytest.raises(ValueError, match="not a table of a solved pane"):
        motion.read("a,b\n1,2\n")
