"""Accounts on a page: what goes where as a picture, forces on several patches together."""

import re

import pytest

from brook.core.results.ledger import Entry, Ledger, Passing
from brook.web.ledger_picture import ROOM, ledger_picture
from brook.web.ledgers import accounts_shown

PLATE = Ledger(
    (Entry("chips", "power", 40.0, True), Entry("water", "inlet", 60.0), Entry("water", "outlet", -98.0), Entry("plate", "sides", -2.0)),
    (Passing("chips", "plate", "glue", 40.0), Passing("plate", "water", "wall", 38.0)), 0.0,
)  # fmt: skip


def test_bodies_stand_behind_what_they_get_something_from():
    drawn = ledger_picture(PLATE)
    x = {bar["name"]: bar["x"] for bar in drawn["bars"]}
    assert x["chips"] < x["plate"] < x["water"]
    high = {bar["name"]: bar["height"] for bar in drawn["bars"]}
    assert high["water"] == pytest.approx(ROOM)  # the widest column
    assert high["chips"] == pytest.approx(ROOM * 40 / 98)
    assert len(drawn["bands"]) == 6
    assert {label["what"] for label in drawn["labels"]} == {"power", "inlet", "outlet", "sides"}
    (glue,) = [b["path"] for b in drawn["bands"] if b["what"] == "glue"]
    numbers = [float(n) for n in re.findall(r"[\d.]+", glue)]
    assert numbers[0] == pytest.approx(x["chips"] + drawn["bar"], abs=0.1)
    assert numbers[6] == pytest.approx(x["plate"], abs=0.1)


def test_many_small_patches_are_one_band_and_rings_of_bodies_end():
    many = Ledger(tuple(Entry("room", f"grille_{k}", -1.0 / k) for k in range(1, 31)), (), -1.0)
    words = [label["what"] for label in ledger_picture(many)["labels"]]
    assert len(words) == 8
    assert words[-1] == "23 others"
    round_and_round = Ledger((), (Passing("a", "b", "one", 1.0), Passing("b", "a", "two", 1.0)), 0.0)
    assert len(ledger_picture(round_and_round)["bars"]) == 2
    assert ledger_picture(Ledger((), (), 0.0)) is None


def test_an_account_says_how_far_it_closes():
    shown = accounts_shown(
        {"heat": PLATE, "mass": Ledger((Entry("water", "inlet", 1.0), Entry("water", "outlet", -0.9)), (), 0.1)}
    )
    assert shown[0]["words"] == "closes"
    assert shown[1]["words"] == "does not close: 10 %"
    assert "come in and do not leave" in shown[1]["says"]
    in_time = accounts_shown({"heat": Ledger((Entry("water", "power", 5.0, True),), (), 5.0, stored=True)})
    assert in_time[0]["words"] == "5.00 W stored"
