"""Ready-made starts: a handful of statements to fill in, put onto the patches of a study by their names."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from brook.core.checks import declared_patches
from brook.core.editing.pointers import EditRefused
from brook.core.study import Problem, Study

Raw = dict[str, Any]
ENTERS = ("inlet", "intake", "supply", "feed", "fan", "begin", "start", "enters", "west", "left")
LEAVES = ("outlet", "weir", "drain", "exit", "grille", "end", "leaves", "east", "right")
GROUND = ("ground", "floor", "road", "bottom", "bed")
SIDES = ("lid", "top", "sky", "ceiling", "side", "north", "south", "wall")


@dataclass(frozen=True)
class Patches:
    """Which patch a start takes for what, '' where there is none, and `others`."""

    enters: str
    leaves: str
    ground: str
    others: list[str]


def _taken(study: Study) -> Patches:
    every = sorted(declared_patches(study))

    def first(words: tuple[str, ...], used: set[str]) -> str:
        return next((p for word in words for p in every if word in p and p not in used), "")

    enters = first(ENTERS, set())
    leaves = first(LEAVES, {enters})
    ground = first(GROUND, {enters, leaves})
    return Patches(enters, leaves, ground, [p for p in every if p not in {enters, leaves, ground}])


def _through(p: Patches, enters: Raw, leaves: Raw | None = None) -> list[Raw]:
    if not (p.enters and p.leaves):
        raise EditRefused(
            [
                Problem(
                    "/set_up/boundaries",
                    "name a patch for what enters and one for what leaves first, as inlet and outlet",
                )
            ]
        )
    return [{**enters, "patch": p.enters}, {"kind": "pressure", **(leaves or {}), "patch": p.leaves}]


AIR, WATER = {"kind": "library", "substance": "air"}, {"kind": "library", "substance": "water"}
STREAM = "10 m/s"


def _inner(p: Patches, raw: Raw) -> Raw:
    return {"fluid": WATER, "boundaries": _through(p, {"kind": "velocity", "speed": "0.1 m/s"})}


def _outer(p: Patches, raw: Raw) -> Raw:
    said = _through(p, {"kind": "velocity", "speed": STREAM})
    if p.ground:
        said.append({"kind": "sliding", "patch": p.ground, "velocity_x": STREAM})
    said += [{"kind": "slip", "patch": name} for name in p.others if any(word in name for word in SIDES)]
    return {"fluid": AIR, "boundaries": said, "turbulence": {"kind": "sst"}}


def _warm(p: Patches, raw: Raw) -> Raw:
    walls = [{"kind": "temperature", "patch": name, "temperature": "40 degC"} for name in [*p.others, p.ground][:1] if name]  # fmt: skip
    heat = {"start": "20 degC", "patches": [{"kind": "temperature", "patch": p.enters, "temperature": "20 degC"}, *walls]}  # fmt: skip
    return {**_inner(p, raw), "heat": heat}


def _sealed(p: Patches, raw: Raw) -> Raw:
    every = [name for name in (p.enters, p.leaves, p.ground, *p.others) if name]
    if not every:
        raise EditRefused([Problem("/set_up/boundaries", "name a patch first")])
    sides = [{"kind": "temperature", "patch": every[0], "temperature": "40 degC"}]
    sides += [{"kind": "film", "patch": every[-1], "surroundings": "20 degC"}] if len(every) > 1 else []
    return {"fluid": AIR, "boundaries": [], "heat": {"start": "20 degC", "buoyancy": "boussinesq", "patches": sides}}


def _shedding(p: Patches, raw: Raw) -> Raw:
    said = _through(p, {"kind": "velocity", "speed": "0.1 m/s"})
    said += [{"kind": "slip", "patch": n} for n in (p.ground, *p.others) if any(w in n for w in (*SIDES, *GROUND))]
    timing = {"kind": "in_time", "duration": "60 s", "step": "0.5 s", "keep_every": "5 s", "average_from": "20 s"}
    return {"fluid": WATER, "boundaries": said, "timing": timing}


def _filter(p: Patches, raw: Raw) -> Raw:
    body: Raw = {"kind": "porous", "permeability": "1e-8 m^2", "loss": "100 1/m"}
    outer = next((v["geometry"]["outer"] for v in raw["variants"] if v["geometry"].get("kind", "plane") == "plane"), None)  # fmt: skip
    if outer is not None:
        left, bottom, width, height = (outer[name] for name in ("left", "bottom", "width", "height"))
        body["where"] = {"kind": "box", "x": f"{left} + ({width}) / 3", "y": bottom, "width": f"({width}) / 3", "depth": height}  # fmt: skip
    return {**_inner(p, raw), "within": [body]}


def _fan(p: Patches, raw: Raw) -> Raw:
    said = _through(p, {"kind": "fan"}, {"loss": "1"})
    return {"fluid": AIR, "boundaries": said, "turbulence": {"kind": "sst"}}


BEGINS: dict[str, tuple[str, Callable[[Patches, Raw], Raw]]] = {
    "inner": ("an inner flow", _inner), "outer": ("an outer flow with ground", _outer), "warm": ("heat through walls", _warm),
    "sealed": ("a sealed box", _sealed), "shedding": ("shedding", _shedding), "filter": ("a porous filter", _filter), "fan": ("a fan in a duct", _fan),
}  # fmt: skip
WRITTEN = ("fluid", "boundaries", "turbulence", "heat", "timing", "within")


def _begin_with(raw: Raw, kind: str) -> str:
    """Fills in the statements of a start; all that it writes is written anew."""
    if kind not in BEGINS:
        raise ValueError(f"'{kind}' is no start; there are {', '.join(BEGINS)}")
    made = BEGINS[kind][1](_taken(Study.model_validate(raw)), raw)
    plain: Raw = {
        "fluid": WATER,
        "boundaries": [],
        "turbulence": None,
        "heat": None,
        "timing": {"kind": "steady"},
        "within": [],
    }
    for name in WRITTEN:
        raw["set_up"][name] = made.get(name, plain[name])
    return "/set_up"


ACTIONS: dict[str, Callable[..., str]] = {"begin_with": _begin_with}
