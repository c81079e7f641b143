"""What goes where: accounts of mass, heat and momentum, that close, and their pictures."""

import numpy as np
import pytest

from brook.core.checks import prepare
from brook.core.results.ledger import heat_ledger, mass_ledger, momentum_ledger
from brook.core.stages.meshing import make_mesh
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from tests.core.test_heat import warm_duct
from tests.core.test_tracer import channel


def ran(raw):
    study = study_from(raw)
    prepared = prepare(study, study.variants[0])
    assert not prepared.problems
    return solve(study, prepared, make_mesh(prepared))


@pytest.fixture(scope="module")
def warm():
    """A duct with a warm floor, something that heats within it, and its body as a source."""
    raw = warm_duct()
    raw["set_up"]["heat"]["sources"] = [{"body": "fluid", "power": "0.5 W"}]
    raw["set_up"]["within"] = [
        {"kind": "heating", "power": "2 W"},
        {
            "kind": "exchanger",
            "where": {"kind": "box", "x": "0.1 m", "y": "-1 m", "width": "0.06 m", "depth": "3 m"},
            "takes": "30 %",
            "other": "40 degC",
        },
    ]
    return ran(raw)


def test_heat_that_comes_in_is_heat_that_leaves(warm):
    ledger = heat_ledger(warm.fields, list(warm.put), in_time=False)
    found = {e.what: e.value for e in ledger.entries}
    assert found["floor"] == pytest.approx(5 * 0.4 * np.ptp(warm.fields.mesh.points[:, 2]))
    assert found["what fluid sets free"] == pytest.approx(0.5)
    assert found["the heat set free"] == pytest.approx(2.0)
    assert found["the heat exchanger"] > 0
    assert ledger.closes < 1e-6
    assert ledger.moved == pytest.approx(-found["outlet"] - found["inlet"], rel=1e-6)
    forgotten = heat_ledger(warm.fields, [], in_time=False)
    assert forgotten.closes > 0.1


def test_mass_and_momentum_close_and_a_push_is_told(warm):
    assert mass_ledger(warm.fields).closes < 1e-9
    assert momentum_ledger(warm.fields, 0, in_time=False, acts=False).closes < 1e-3
    raw = channel().model_dump(mode="json")
    raw["set_up"]["timing"] = {"kind": "steady"}
    raw["set_up"]["within"] = [{"kind": "push", "force_x": "2 mN"}]
    pushed = momentum_ledger(ran(raw).fields, 0, in_time=False, acts=True)
    (within,) = [e for e in pushed.entries if e.within]
    assert within.value == pytest.approx(2e-3, rel=0.02)
    assert pushed.closes is None
