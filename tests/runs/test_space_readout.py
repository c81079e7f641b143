"""What pages and files get of results in space: z of forces, sections at one place, all columns of a history."""

import numpy as np
import pytest

from brook.core.checks.flowing import space_numbers
from brook.core.numerics import Stencil
from brook.core.results.picture import usual_section
from brook.core.results.quantities import View
from brook.core.solve import Fields
from brook.core.study.placed import Placed
from brook.runs import readout, sheets
from brook.runs.readout import Loaded, Source
from brook.web.routes.exports import history_sheet, ledger_sheet
from tests.core.meshes import box_mesh


def result(size, count=(8, 8, 6)):
    """Water at rest whose pressure is 1000 z."""
    mesh = box_mesh(count, size)
    stencil = Stencil(mesh)
    edge = mesh.face_centres(slice(stencil.inner, None))
    fields = Fields(
        stencil, np.full(stencil.cells, 1000.0), np.full(stencil.cells, 1e-3), np.zeros((stencil.cells, 3)),
        1000 * mesh.centre[:, 2], np.zeros(stencil.active), np.zeros((len(edge), 3)), 1000 * edge[:, 2],
    )  # fmt: skip
    return Loaded(fields, {})


@pytest.fixture
def two(monkeypatch):
    """A box and one that is twice as high: each is cut at another height for its own pictures."""
    found = {"low": result((1.0, 1.0, 0.2)), "high": result((1.0, 1.0, 0.4))}
    sources = {name: Source("", "", name, "", "a") for name in found}
    monkeypatch.setattr(readout, "loaded", lambda source: found[source.run_key])
    monkeypatch.setattr(readout, "view_of", lambda source: View(found[source.run_key].fields))
    return found, sources


def test_a_difference_in_space_compares_the_same_places(two):
    found, sources = two
    heights = {name: usual_section(one.fields.mesh) for name, one in found.items()}
    assert heights["low"][0] == heights["high"][0] == 2
    assert heights["low"][1] != pytest.approx(heights["high"][1], abs=0.05)
    less = np.frombuffer(readout.difference_values(sources["low"], sources["high"], "pressure"), "<f4")
    assert np.isfinite(less).all()
    assert np.median(np.abs(less)) < 1e-3 * 1000 * 0.2  # on the rim each has what its own sides say
    # the other way round the plane does not meet the lower box
    less = np.frombuffer(readout.difference_values(sources["high"], sources["low"], "pressure"), "<f4")
    assert np.isnan(less).all() == (heights["high"][1] > 0.2)


def test_forces_in_space_have_a_z(two):
    _, sources = two
    rows = {r["patch"]: r["pressure"] for r in readout.forces(sources["low"])}
    assert {len(v) for v in rows.values()} == {3}
    assert max(abs(v[2]) for v in rows.values()) == pytest.approx(200.0, rel=1e-6)  # under the lid: 1000 z A
    (sheet,) = sheets.force_sheets([sheets.Shown(sources["low"], "Low")])
    assert [c.title for c in sheet.columns[1:]] == [
        f"{p} {a}" for p in ("pressure", "friction", "total") for a in "xyz"
    ]


def test_histories_and_ledgers_leave_nothing_out():
    from types import SimpleNamespace

    history = {"residuals": {"momentum": [0.1, 0.2], "mass": [0.3, 0.4], "heat": [None, 0.6]}, "time": [1.5, 3.0], "seconds": [1.0, 2.0],
               "monitors": {"drop": [1.0, 2.0]}}  # fmt: skip
    sheet = history_sheet(history, "A")
    told = {c.title: list(c.values) for c in sheet.columns}
    assert told["time"] == [1.5, 3.0]
    assert told["heat_residual"] == [None, 0.6]
    assert [c.title for c in sheet.curves] == ["momentum", "mass", "heat"]
    assert sheet.curves[0].x == [1.5, 3.0]
    assert sheet.curves[2].x == [3.0]
    steady = history_sheet({**history, "time": []}, "A")
    assert "time" not in [c.title for c in steady.columns]
    summary = {"flows": {"in": -1.0, "out": 1.5}, "mass_flows": {"in": -1.2, "out": 1.2}, "imbalance": 1e-16,
               "heat": {"in": -5.0, "out": 6.0, "floor": -1.0}, "mean_pressures": {"in": 1.0, "out": 0.0}}  # fmt: skip
    table = ledger_sheet(SimpleNamespace(run=SimpleNamespace(summary=summary), variant=SimpleNamespace(title="A")))
    told = {c.title: list(c.values) for c in table.columns}
    assert told["patch"] == ["in", "out", "floor", "net mass over inflow"]
    assert told["mass out"] == [-1.2, 1.2, None, 1e-16]
    assert told["heat out"] == [-5.0, 6.0, -1.0]


def test_the_regime_of_a_shape_in_space_is_told():
    from types import SimpleNamespace

    fluid = SimpleNamespace(kinematic_viscosity=1e-6, density=1000.0)

    def numbers(**boundary):
        prepared = SimpleNamespace(fluid=fluid, boundaries=[SimpleNamespace(patch="inlet", **boundary)])
        return space_numbers(prepared, {"inlet": np.pi * 0.01**2}, 1e-3)

    assert numbers(kind="velocity", speed=0.5)["reynolds"] == pytest.approx(0.5 * 0.02 / 1e-6)
    assert numbers(kind="flow", volume_flow=1e-4)["speed"] == pytest.approx(1e-4 / (np.pi * 0.01**2))
    assert numbers(kind="mass", mass_flow=0.1)["flow"] == pytest.approx(1e-4)
    assert numbers(kind="stream", velocity_x=3.0, velocity_y=4.0, velocity_z=0.0)["speed"] == 5.0
    assert (
        numbers(kind="stream", velocity_x=Placed(3.0), velocity_y=4.0, velocity_z=0.0) is None
    )  # another at each place
    assert numbers(kind="pressure", pressure=0.0) is None
