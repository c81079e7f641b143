"""What is computed next until bands are there, or it is decided."""

from dataclasses import replace

import pytest

from brook.core.answer import Standing, best_of, folded, sentence
from brook.core.deciding import CaseNow, Ran, allowed, for_bands, open_variants, until_decided
from brook.core.results import Judgement
from brook.core.study.variants import series_of

TITLES = {"still": "Still water", "loss": "Loss"}
WISHES = [("loss", "smallest")]


def standing(name, verdict, loss, half=0.1, margin=0.2, sure=True):
    halves = {"still": 0.1, "loss": half} if sure else {}
    values = {"still": (1.0, Judgement(verdict, margin, "")), "loss": (loss, Judgement("open", None, ""))}
    return Standing(name, name.upper(), True, values, halves=halves)


def case(name, **runs):
    """`k2="sound"` is that on cells coarser by two steps; `f1` finer ones."""
    made = [Ran(int(k[1:]) * (1 if k[0] == "k" else -1), state, "too large") for k, state in runs.items()]
    return CaseNow(name, name, tuple(made))


def test_series_have_cells_twice_as_large_each_coarse_ones_first():
    assert series_of(0) == [4, 2, 0]
    assert series_of(-2) == [2, 0, -2]


def test_bands_need_three_meshes_of_each_case_one_after_the_other():
    plan = for_bands(
        [case("a"), case("b", k4="sound"), case("c", k4="busy"), case("d", k4="sound", k2="sound", k0="sound")]
    )
    assert plan.runs == [("a", 4), ("b", 2)]
    done = case("d", k4="sound", k2="sound", k0="sound")
    assert for_bands([done]).is_over
    assert for_bands([replace(done, told=False)]).runs == [("d", 1)]  # one more where these give no band


def test_a_series_whose_coarsest_mesh_fails_goes_on_without_it_and_says_so():
    plan = for_bands([case("a", k4="failed")])
    assert plan.runs == [("a", 2)]
    assert plan.notes == ["a: cells 4 times as large did not do: too large"]
    assert for_bands([case("a", k4="failed", k2="sound")]).runs == [("a", 1)]  # one between the others in its place
    assert for_bands([case("a", k4="failed", k2="sound", k1="sound")]).runs == [("a", 0)]
    both = for_bands([case("a", k4="failed", k2="failed", k1="sound", k0="sound")])
    assert both.is_over
    assert len(both.notes) == 2


def test_until_it_is_decided_only_what_is_open_gets_finer_meshes():
    coarse = {"k6": "sound", "k4": "sound", "k2": "sound"}
    cases = [case(n, **coarse) for n in "abc"]
    stand = [standing("a", "pass", 5.0), standing("b", "undecided", 3.0, margin=0.01), standing("c", "fail", 1.0)]
    assert open_variants(stand, WISHES) == {"b"}
    assert until_decided(cases, stand, WISHES).runs == [("b", 0)]
    assert until_decided([case("a"), *cases[1:]], stand, WISHES).runs == [("a", 6), ("b", 0)]


def test_until_it_is_decided_goes_on_with_what_meshes_there_are():
    """Where cells as large as in the first series do not do, with those between and finer ones."""
    stand = [standing("a", "pass", 5.0, sure=False)]
    ways = [("k6", "failed"), ("k4", "failed"), ("k2", "sound"), ("k3", "sound"), ("k1", "sound"), ("k0", "sound")]
    runs: dict[str, str] = {}
    asked = []
    while (plan := until_decided([case("a", **runs)], stand, WISHES)).runs:
        ((_, coarser),) = plan.runs
        asked.append(coarser)
        runs[f"k{coarser}"] = dict(ways)[f"k{coarser}"]
    assert asked[:3] == [6, 4, 3]
    assert asked[-1] == 0
    assert {2, 3} <= set(asked)


def test_rivals_that_cannot_be_told_apart_are_open_and_what_lies_beyond_the_finest_is_told():
    stand = [standing("a", "pass", 5.0, half=0.3), standing("b", "pass", 5.4, half=0.3), standing("c", "pass", 9.0)]
    assert open_variants(stand, WISHES) == {"a", "b"}
    done = [case(n, k6="sound", k4="sound", k2="sound", k0="sound") for n in "abc"]
    plan = until_decided(done, stand, WISHES)
    assert plan.is_over
    assert plan.beyond == [("a", -2), ("b", -2)]
    assert until_decided(done, stand, WISHES, finest=-2).runs == [("a", -2), ("b", -2)]


def test_a_variant_that_surely_fails_needs_no_more_for_the_answer():
    fails = (0.4, Judgement("fail", -1.0, "at most 0.2"))
    known = Standing("a", "A", False, {"still": fails}, halves={"still": 0.05})
    guessed = Standing("b", "B", False, {"still": fails})
    assert (
        sentence([known], None, {"still": "Still water"}) == "No variant holds every limit; they fail on still water."
    )
    assert "1 of 2 are not up to date" in sentence([known, guessed], None, {"still": "Still water"})


def test_what_has_no_band_is_open_unless_it_surely_fails():
    assert open_variants([standing("a", "pass", 1.0, sure=False)], WISHES) == {"a"}
    failed = standing("a", "fail", 1.0)
    assert open_variants([failed], WISHES) == set()


def test_iterations_may_leave_open_a_share_of_what_is_unsure_and_more_where_limits_are_far():
    assert allowed(5.0, 0.4, None, [6.0]) == pytest.approx(0.05)
    assert allowed(5.0, 0.4, None, [5.1]) == pytest.approx(0.04)
    assert allowed(5.0, None, 5.5, []) == pytest.approx(0.05)
    assert allowed(5.0, None, None, []) == pytest.approx(0.05)


def test_the_undecided_hold_nothing_and_the_answer_names_them():
    a, b = standing("a", "undecided", 1.0, margin=0.01), standing("b", "pass", 3.0)
    best = best_of([a, b], WISHES)
    assert best is b
    told = sentence([a, b], best, TITLES)
    assert "“B” does best" in told
    assert "“A” on still water" in told
    assert sentence([a], None, TITLES).startswith("Undecided as yet")


def test_the_answer_says_who_cannot_be_told_apart():
    a, b, c = standing("a", "pass", 5.0, half=0.3), standing("b", "pass", 5.4, half=0.3), standing("c", "pass", 9.0)
    told = sentence([a, b, c], best_of([a, b, c], WISHES), TITLES, "loss")
    assert told == "“A” and “B” hold every limit and cannot be told apart in loss, where “A” leads."
    assert "does best of 2" in sentence([a, c], a, TITLES, "loss")


def test_over_operating_points_a_failure_goes_before_what_is_undecided():
    first = standing("a", "undecided", 1.0, margin=-0.05)
    second = standing("a", "fail", 2.0, margin=-0.01)
    whole = folded("A", "a", [first, second], ["Summer", "Winter"], WISHES)
    assert whole.values["still"][1].verdict == "fail"
    assert whole.worst["still"] == "Winter"
    assert whole.halves["still"] == 0.1
