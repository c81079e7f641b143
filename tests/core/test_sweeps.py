"""Sweeps: where values are tried, how cases of samples are called and computed, the search for the best, and what cannot be."""

import numpy as np
import pytest

from brook.core.checks import check, prepare
from brook.core.editing import EditRefused, act, set_value
from brook.core.stages.keys import stage_keys
from brook.core.study import read_study, study_text
from brook.core.study.sweeps import PARTS, Sweep, swept_name, told_swept
from brook.core.sweeping import Known, Surrogate, best_known, next_place, places_of, response, shares_of_variance
from tests.core.studies import tray


def swept(way="grid", samples=20, **more):
    two = [{"name": n, "low": "0", "high": "1", "steps": 3} for n in ("p", "q")]
    return Sweep(**{"name": "s", "title": "S", "variant": "a", "values": two, "way": way, "samples": samples, **more})


def test_grids_are_whole_and_samples_fill_the_space():
    assert places_of(swept()) == [(a, b) for a in (0, 5000, 10000) for b in (0, 5000, 10000)]
    for way in ("hypercube", "sobol"):
        places = np.array(places_of(swept(way, 16)))
        assert len(places) == 16
        assert places_of(swept(way, 16)) == [tuple(p) for p in places]  # the same each time
        for column in places.T:
            assert len({int(v // (PARTS / 4)) for v in column}) == 4
    hypercube = np.array(places_of(swept("hypercube", 16)))
    assert all(len({int(v * 16 // PARTS) for v in column}) == 16 for column in hypercube.T)


def test_a_sample_is_a_case_by_its_name():
    study = act(tray(), "add_sweep", title="Supply", variant="hanging", name="supply", low="4 mm/s", high="8 mm/s")
    assert read_study(study_text(study)) == study
    name = swept_name("hanging", "supply", (2500,))
    assert name == "hanging-in-supply-2500"
    assert told_swept(name) == ("hanging", "supply", (2500,))
    prepared = prepare(study, study.variant(name))
    assert prepared.ready
    assert prepared.boundaries[0].speed == pytest.approx(0.005)
    assert study.variant(name).title == "Hanging, supply 5.00 mm/s"
    keys = [stage_keys(study, prepare(study, study.variant(n))) for n in ("hanging", "hanging-in-supply-0")]
    assert keys[0] == keys[1]  # the supply is 4 mm/s: nothing is computed twice
    coarse = prepare(study, study.variant(f"{name}-coarser-2"))
    assert coarse.plan.bulk == pytest.approx(2 * prepared.plan.bulk)
    for wrong in ("hanging-in-nothing-2500", "hanging-in-supply-2500-1", "nobody-in-supply-0"):
        with pytest.raises(KeyError):
            study.variant(wrong)
    pointed = act(study, "add_point", title="Deep", name="depth", value="50 mm")
    assert prepare(pointed, pointed.variant("hanging-at-deep-in-supply-2500")).boundaries[0].speed == pytest.approx(
        0.005
    )


def test_the_best_sample_becomes_a_variant():
    study = act(tray(), "add_sweep", title="Supply", variant="hanging", name="supply", low="4 mm/s", high="8 mm/s")
    made = act(study, "take_over", case="hanging-in-supply-2500")
    new = made.variants[2]
    assert (new.title, new.named_values) == ("Hanging, supply 5.00 mm/s", {"supply": "0.005 m/s"})
    with pytest.raises(EditRefused, match="no case of a sweep"):
        act(study, "take_over", case="hanging")


def test_what_cannot_be_swept_is_told_at_its_place():
    study = act(tray(), "add_sweep", title="Supply", variant="hanging", name="supply", low="4 mm/s", high="8 mm/s")
    for pointer, text, why in (
        ("/sweeps/0/values/0/low", "4 mm", "supply is in m/s"),
        ("/sweeps/0/values/0/high", "3 mm/s", "over the lower one"),
        ("/sweeps/0/values/0/name", "suply", "did you mean"),
        ("/sweeps/0/variant", "hangin", "did you mean"),
        ("/sweeps/0/values/0/steps", "100000", "400"),
    ):
        with pytest.raises(EditRefused, match=why):
            set_value(study, pointer, text)
    many = act(study, "add_swept_value", pointer="/sweeps/0", name="depth", low="40 mm", high="80 mm")
    many = set_value(set_value(many, "/sweeps/0/values/0/steps", "20"), "/sweeps/0/values/1/steps", "20")
    with pytest.raises(EditRefused, match="420 samples; at most 400"):
        set_value(many, "/sweeps/0/values/1/steps", "21")
    pointed = act(tray(), "add_point", title="Much", name="supply", value="5 mm/s")
    with pytest.raises(EditRefused, match="operating points say what supply is"):
        act(pointed, "add_sweep", title="S", variant="hanging", name="supply", low="4 mm/s", high="8 mm/s")
    wishless = act(study, "remove", pointer="/requirements/2", expected="drop")
    told = [p.path for p in check(wishless) if p.path.startswith("/sweeps")]
    assert told == []
    assert "/sweeps/0/way" in [p.path for p in check(set_value(wishless, "/sweeps/0/way", "search"))]


def test_limits_that_nothing_can_hold_together_are_refused():
    study = tray()
    reading = study.requirements[0].reading
    with pytest.raises(EditRefused, match="nothing can hold both this and “Still water”"):
        act(study, "add_requirement", title="Moving", reading=reading, limit="at_least", value="60 %")
    assert act(study, "add_requirement", title="Moving", reading=reading, limit="at_least", value="30 %")


def wish(x, y):
    return (x - 0.3) ** 2 + 2 * (y - 0.6) ** 2 + 0.3 * np.sin(5 * x * y)


def margin(x, y):
    return 0.5 - np.hypot(x - 0.5, y - 0.2)


def test_a_search_finds_the_best_of_a_fine_grid_in_few_runs():
    """Within a limit, and two at a time."""
    line = np.linspace(0, 1, 15)
    grid = [wish(x, y) for x in line for y in line if margin(x, y) >= 0]
    sweep, known = swept("search", 30), []
    while (place := next_place(sweep, known)) is not None:
        other = next_place(sweep, known, [place])
        for p in {place, other} - {None}:
            x, y = np.array(p) / PARTS
            known.append(Known(p, wish(x, y), (margin(x, y),)))
    assert len(known) <= 30
    assert best_known(known).wish <= min(grid) + 0.01 * abs(min(grid))
    assert best_known(known).holds


def test_a_search_first_looks_for_what_holds_and_may_find_nothing():
    sweep, known = swept("search", 14), []
    while (place := next_place(sweep, known)) is not None:
        known.append(Known(place, 1.0, (-1.0 - place[0] / PARTS,)))
    assert len(known) == 14
    assert best_known(known) is None


def test_a_surrogate_goes_through_what_is_known_and_is_unsure_elsewhere():
    at = np.array([[0.0], [0.3], [0.5], [1.0]])
    made = Surrogate.through(at, np.sin(3 * at[:, 0]))
    mean, spread = made(at)
    assert mean == pytest.approx(np.sin(3 * at[:, 0]), abs=1e-2)
    assert made(np.array([[0.75]]))[1][0] > 3 * spread.max()


def test_which_value_matters_is_that_of_the_exact_indices():
    """Of y = 2 a + b: 4/5 and 1/5 of the variance."""
    at = np.array(places_of(swept("sobol", 32))) / PARTS
    surface = response(at, 2 * at[:, 0] + at[:, 1])
    assert shares_of_variance(surface, 2) == pytest.approx([0.8, 0.2], abs=0.03)
    assert response(at[:2], at[:2, 0]) is None
