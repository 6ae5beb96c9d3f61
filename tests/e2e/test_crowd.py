"""Shots with more covers than the depth list shows at once."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from playwright.sync_api import expect

from tests.e2e.bench import Bench
from tests.e2e.crowd import crowd

pytestmark = pytest.mark.browser
Open = Callable[..., Bench]


def test_what_is_chosen_in_the_picture_comes_into_sight_in_the_depth_list(open_shot: Open) -> None:
    bench = open_shot(fresh=True)
    bench.page.goto(f"/shots/{crowd(bench.page, 'Panel tap', 40, 1)}")
    bench = Bench(bench.page)
    bench.settled()
    near, far = bench.page.get_by_test_id("card-Leaf 40"), bench.page.get_by_test_id("card-Leaf")
    expect(near).to_be_in_viewport()
    expect(far).to_have_count(0)
    outlines = {o["cover"]: o for o in bench.elements("outline")}
    for name, card, other in (("Leaf", far, near), ("Leaf 40", near, far)):
        cover = next(c for c in bench.elements("cover") if c["name"] == name)
        x, y, *_ = outlines[cover["id"]]["keys"][0]["points"][3]
        bench.click(x, y)
        expect(card).to_be_in_viewport(ratio=0.95)
        expect(other).not_to_be_in_viewport()
