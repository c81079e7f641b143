"""A run that begins with the fields of another one: what cells hold together stays, and mass is kept."""

import numpy as np
import pytest

from brook.core.mesh.boxes import Sizes, build
from brook.core.results.carrying import Carrying
from brook.core.stages.assembly import flow_of
from brook.core.stages.beginning import BEGUN, begun_with
from brook.core.stages.ready import meshed, ready
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from tests.core.surfaces import cube
from tests.core.test_following import duct


@pytest.mark.parametrize("after", [0.05, 0.1, 0.2, 0.07])
def test_what_cells_hold_together_stays(after):
    old, new = build(cube(), Sizes(0.1)), build(cube(), Sizes(after))
    carry = Carrying(old, new)
    x, y, _ = old.centre.T
    values, slope = np.sin(4 * x) * y, np.stack([4 * np.cos(4 * x) * y, np.sin(4 * x), 0 * x], axis=1)
    found = carry(values, slope)
    halved_or_joined = after != 0.07
    assert new.volume @ found == pytest.approx(old.volume @ values, rel=1e-12 if halved_or_joined else 5e-3)
    # off by what a straight line leaves within a cell, and by what the mean over one is off its middle
    x, y, _ = new.centre.T
    assert np.abs(found - np.sin(4 * x) * y).max() < (4 * max(0.1, after)) ** 2 / 4
    # what is straight is exact, also between meshes that do not fit into each other
    straight = carry(old.centre @ [1.0, 2.0, 3.0], np.tile([1.0, 2.0, 3.0], (old.cell_count, 1)))
    assert straight == pytest.approx(new.centre @ [1.0, 2.0, 3.0], rel=1e-9)
    assert carry(values - 1, low=0.0).min() >= 0.0


def warmed(size, **more):
    """Oil past a step, warmed there, with dye in it."""
    raw = duct(bulk=size, wall=size, **more).model_dump(mode="json")
    raw["set_up"]["fluid"] |= {"conductivity": "90 W/(m K)", "heat_capacity": "2000 J/(kg K)"}
    raw["set_up"]["heat"] = {
        "start": "20 degC",
        "patches": [
            {"kind": "temperature", "patch": "inlet", "temperature": "20 degC"},
            {"kind": "temperature", "patch": "step", "temperature": "60 degC"},
        ],
    }
    raw["set_up"]["scalars"] = [
        {
            "kind": "tracer",
            "name": "dye",
            "diffusivity": "1e-4 m^2/s",
            "inflows": [{"patch": "inlet", "concentration": "3 kg/m^3"}],
        }
    ]
    return study_from(raw)


def test_a_run_begins_with_the_fields_of_another_mesh():
    study = warmed("4 mm")
    prepared, surface = ready(study, "low")
    first = solve(study, prepared, meshed(study, prepared, surface, lambda _: None))
    assert first.state == "converged"
    finer = warmed("2.5 mm")
    prepared, surface = ready(finer, "low")
    mesh = meshed(finer, prepared, surface, lambda _: None)
    start = begun_with(finer, prepared, mesh, first.fields)
    assert start.state["heat"]["value"].mean() == pytest.approx(first.fields.more["temperature"][0].mean(), abs=0.3)
    # pages show it for each m³, what is carried is for each kg of oil
    assert start.state["dye"]["value"].max() == pytest.approx(3 / 900, rel=0.02)
    flux, owner, inner = start.state["flow"]["flux"], mesh.owner, mesh.inner_count
    left = np.bincount(owner, flux, mesh.cell_count) - np.bincount(mesh.neighbour, flux[:inner], mesh.cell_count)
    assert np.abs(left).max() < 1e-2 * np.abs(flux).max()
    carried, alone = solve(finer, prepared, mesh, start=start), solve(finer, prepared, mesh)
    assert (0, BEGUN) in carried.history.marks
    assert carried.state == alone.state == "converged"
    usual, answer = flow_of(finer, prepared, mesh)[0].velocity, alone.fields.velocity
    assert np.abs(start.state["flow"]["velocity"] - answer).mean() < 0.5 * np.abs(usual - answer).mean()
    assert carried.fields.pressure.mean() == pytest.approx(alone.fields.pressure.mean(), rel=1e-4)
    other = finer.model_dump(mode="json")
    other["variants"][0]["geometry"]["bodies"][0]["name"] = "water"
    other = study_from(other)
    prepared, _ = ready(other, "low")
    mesh = meshed(other, prepared, surface, lambda _: None)
    assert begun_with(other, prepared, mesh, first.fields) is None


def plated(size):
    """The same over a plate that is kept warm from below."""
    raw = warmed(size).model_dump(mode="json")
    sides = ("west", "east", "south", "north", "floor", "lid")
    raw["variants"][0]["geometry"]["parts"].append(
        {"kind": "box", "name": "slab", "action": "apart", "x": "0 mm", "y": "0 mm", "z": "-10 mm", "width": "80 mm", "depth": "20 mm", "height": "10 mm",
         "patches": {side: "below" for side in sides}})  # fmt: skip
    raw["variants"][0]["geometry"]["bodies"].append(
        {"name": "plate", "x": "10 mm", "y": "10 mm", "z": "-5 mm", "holds": "solid"}
    )
    raw["set_up"]["materials"] = {"plate": {"kind": "own_solid", "conductivity": "200 W/(m K)"}}
    raw["set_up"]["heat"]["patches"][1] = {"kind": "temperature", "patch": "below", "temperature": "60 degC"}
    return study_from(raw)


def test_bodies_are_carried_each_for_itself():
    study = plated("5 mm")
    prepared, surface = ready(study, "low")
    assert not prepared.problems
    first = solve(study, prepared, meshed(study, prepared, surface, lambda _: None))
    assert first.state == "converged"
    finer = plated("3.2 mm")
    prepared, surface = ready(finer, "low")
    mesh = meshed(finer, prepared, surface, lambda _: None)
    start = begun_with(finer, prepared, mesh, first.fields)
    old, warm = first.fields.mesh, start.state["heat"]["value"]
    for name in ("oil", "plate"):
        here, there = mesh.body == mesh.bodies.index(name), old.body == old.bodies.index(name)
        kept = first.fields.more["temperature"][0][there]
        assert np.average(warm[here], weights=mesh.volume[here]) == pytest.approx(
            np.average(kept, weights=old.volume[there]), abs=1.0
        )  # of 40 K
        assert warm[here].min() > kept.min() - 3
    assert len(start.state["flow"]["velocity"]) == (mesh.body == mesh.bodies.index("oil")).sum()
    carried, alone = solve(finer, prepared, mesh, start=start), solve(finer, prepared, mesh)
    assert carried.state == alone.state == "converged"
    assert carried.fields.more["temperature"][0].mean() == pytest.approx(
        alone.fields.more["temperature"][0].mean(), rel=1e-4
    )
