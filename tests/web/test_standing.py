"""A steady run that meets a flow which sheds: told on Runs, on the board and to programs, with mean and swing."""

from __future__ import annotations

import pytest

from brook.core.study.document import study_from
from tests.web.helpers import client, plain, take_in, up_to_date

pytestmark = pytest.mark.server


def bar() -> dict:
    sides = {"left": "inlet", "right": "outlet", "bottom": "floor", "top": "roof"}
    outer = {"name": "race", "left": "0 mm", "bottom": "0 mm", "width": "400 mm", "height": "80 mm", "patches": sides}
    shape = {
        "kind": "rectangle", "name": "bar", "left": "100 mm", "bottom": "31 mm", "width": "20 mm", "height": "20 mm",
        "patches": dict.fromkeys(sides, "bar"),
    }  # fmt: skip
    return {
        "format": "brook-study", "version": 1, "title": "A bar met steadily",
        "variants": [{"name": "bar", "title": "Bar", "geometry": {"outer": outer, "shapes": [shape]}}],
        "requirements": [{"name": "push", "title": "Pressure before the bar", "reading": "inlet.pressure.mean",
                          "limit": {"kind": "smallest"}}],
        "mesh_plan": {"bulk": "6 mm", "wall": "2 mm"},
        "set_up": {"boundaries": [{"kind": "velocity", "patch": "inlet", "speed": "60 mm/s"}, {"kind": "pressure", "patch": "outlet"}]},
        "run_rules": {"iterations": 260},
    }  # fmt: skip


def test_a_run_that_stands_is_told_with_mean_and_swing(brook_server):
    with client(brook_server) as http:
        slug = take_in(http, study_from(bar()))
        up_to_date(http, slug)
        page = plain(http.get(f"/studies/{slug}/run/bar").text)
        assert "monitors swing about a mean" in page
        assert "swings over the last 120 iterations" in page
        reading = http.get(f"/api/studies/{slug}/variants").json()[0]["readings"][0]
        mean, _, swing = reading["swing"].removesuffix(" Pa").partition(" ± ")
        assert 0 < float(swing) < 0.1 * float(mean)
        assert f"swings: {reading['swing']}" in plain(http.get(f"/studies/{slug}").text)
