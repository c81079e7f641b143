"""Set-up: one sheet of statements about fluid, patches and numerics."""

from __future__ import annotations

from collections import Counter
from typing import Any

import numpy as np
from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from brook.core.checks import declared_patches
from brook.core.checks.advice import Advice, Around, Flowing, advice
from brook.core.checks.flowing import flow_numbers, lengths_of, space_numbers
from brook.core.editing.begins import BEGINS
from brook.core.geometry.plane import PlaneShape
from brook.core.materials.solid import Solid
from brook.core.physics.drive import driven_by
from brook.core.physics.reckoning import CALCULATORS
from brook.core.results.frontal import shadow_of_edges
from brook.core.study import named_scope
from brook.core.study.boundaries import KINDS, STICKING
from brook.core.study.heat import PATCH_KINDS
from brook.core.study.patterns import each
from brook.core.study.scalars import KINDS as SCALARS
from brook.core.study.space import SpaceGeometry
from brook.core.study.turbulence import INCOMING_KINDS
from brook.core.study.turbulence import KINDS as TURBULENCE
from brook.core.units import round_text
from brook.web.drawing import Drawing, drawing
from brook.web.fans import fan_graphs
from brook.web.formula_graphs import Spans, formula_graphs
from brook.web.materials import fluid_groups, kept_options, material_groups
from brook.web.pages import BODIES, StateHere, StudioHere, stage, variant_of
from brook.web.reckoned import card, known_of
from brook.web.shapes import making_of, patch_rows, small_address, view_data
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio
from brook.web.within import mark_within, within_shown

router = APIRouter()
MOST_SHOWN = 6
FIRST_ROUNDS = 20  # iterations of a run that tell how long one takes
MOMENT_BYTES, AVERAGED_BYTES = 42, 24  # of a moment, for each cell


def driven_numbers(
    variant: VariantState, area: float, around: float, across: dict[str, float], words: str
) -> dict[str, Any] | None:
    """Speed and Reynolds number by the hydraulic diameter 4 `area`/`around`, where nothing is said to enter; `across` has areas of
    patches in m²."""
    prepared = variant.prepared
    if prepared.fluid is None or around <= 0:
        return None
    width = 4 * area / around
    shifts = {
        p.patch: (p.x**2 + p.y**2 + p.z**2) ** 0.5 for p in prepared.plan.pairs if p.kind == "shift" and None not in (p.x, p.y, p.z)
    }  # fmt: skip
    found = driven_by(prepared.boundaries, prepared.fluid, width, shifts, lambda patch: across.get(patch, 0.0))
    if found is None:
        return None
    reynolds = found.speed * width / prepared.fluid.kinematic_viscosity
    return {
        "speed": found.speed,
        "reynolds": reynolds,
        "flow": None,
        "length": width,
        "turnover": None,
        "by": words,
        "how": found.how,
    }


def numbers_of(studio: Studio, state: StudyState, variant: VariantState) -> dict[str, Any] | None:
    """What a variant will flow like, as far as what enters or drives it says so: speed in m/s, Reynolds number and by what; None where nothing does."""
    if variant.variant.geometry.kind != "space":
        shape = variant.prepared.shape
        found = flow_numbers(variant.prepared)
        if found is not None or shape is None:
            return found
        lengths = lengths_of(shape)
        through = {b.patch for b in variant.prepared.said if b.kind not in STICKING}
        wet = sum(length for patch, length in lengths.items() if patch not in through)
        across = {patch: length * shape.depth for patch, length in lengths.items()}
        return driven_numbers(variant, shape.area, wet, across, "4 × the area over the length of the walls")
    making = making_of(studio, state, variant)
    if making is None or not making.said:
        return None
    said = making.said
    across = {p["name"]: p["area"] for p in said.get("patches", ())}
    volume = sum(b["volume"] for b in said.get("bodies", ()))
    found = space_numbers(variant.prepared, across, volume)
    if found is not None:
        return found
    through = {b.patch for b in variant.prepared.said if b.kind not in STICKING}
    wet = sum(area for patch, area in across.items() if patch not in through)
    return driven_numbers(variant, volume, wet, across, "4 × the volume over the area of the walls")


def kept_moments(variant: VariantState) -> str:
    """How many moments a run in time will keep and how much room they take, in words; empty where that cannot be known yet."""
    timing, cells = variant.prepared.timing, (variant.mesh.summary or {}).get("cells")
    if timing.kind != "in_time" or not cells or not timing.keep_every or not timing.duration:
        return ""
    count = int(timing.duration / timing.keep_every * (1 + 1e-9))
    size = cells * (MOMENT_BYTES + (AVERAGED_BYTES if timing.averages else 0))
    return f"{count} moments, each about {bytes_words(size)}, {bytes_words(count * size)} together"


def bytes_words(size: float) -> str:
    """A size in bytes as it is read."""
    for unit, factor in (("GB", 1e9), ("MB", 1e6)):
        if size >= factor:
            return f"{round_text(size / factor, 2)} {unit}"
    return f"{round_text(size / 1e3, 2)} kB"


def body(studio: Studio, state: StudyState, variant: VariantState | None) -> dict[str, Any]:
    shape = variant.prepared.shape if variant else None
    every = sorted(declared_patches(state.study))
    if variant is not None and variant.prepared.patches is not None:
        every = sorted({p for v in state.variants for p in v.prepared.patches or ()})
    statements = state.study.set_up.boundaries
    spoken = each(statements, every)
    kinds = {b.patch: b.kind for _, b in spoken}
    said = set(kinds)
    partners = variant.prepared.partners if variant else {}
    for told in (variant.mesh.summary or {}).get("pairs", ()) if variant else ():
        if told["patch"] in partners and not told["problem"]:
            partners[told["patch"]] = told["other"]
    numbers = numbers_of(studio, state, variant) if variant else None
    paired = {name for pair in partners.items() for name in pair if name}
    return {
        "partners": partners,
        "kept_moments": kept_moments(variant) if variant else "",
        "fans": fan_graphs(variant),
        "formula_graphs": formula_graphs(state, variant, _spans(studio, state, variant)),
        "spoken_of": said,
        "drawing": _drawn(shape, variant) if variant and shape else None,
        "picture": small_address(studio, state, variant) if variant and not shape else "",
        "fluid": variant.prepared.fluid if variant else None,
        "numbers": numbers,
        "axes": [
            (a, a)
            for a in (
                ("x", "y", "-x", "-y") if variant and variant.prepared.shape else ("x", "y", "z", "-x", "-y", "-z")
            )
        ],
        "shown_areas": _shown_areas(state, variant),
        "view_data": _in_space(studio, state, variant),
        "starts": [(key, words) for key, (words, _) in BEGINS.items()],
        "fluid_choices": [
            *fluid_groups(),
            ("Our own", [("own", "A fluid of our own"), ("gas", "A gas of our own"), *kept_options(studio.store)]),
        ],
        "reckoned": _reckoned(state, variant, numbers),
        "advice": _advice(studio, state, variant, numbers) if variant else [],
        "rest": [p for p in every if p not in said | paired],
        "patches": every,
        "several": _several(every),
        "patches_of": [[b.patch for n, b in spoken if n == k] for k in range(len(statements))],
        **_heat(studio, state, variant),
        **within_shown(state, variant),
        "entering": [b.patch for _, b in spoken if b.role in ("inflow", "outflow")],
        "turbulence_kinds": [("laminar", "laminar"), *((k.model_fields["kind"].default, k.words) for k in TURBULENCE)],
        "incoming_kinds": [(k.model_fields["kind"].default, k.words) for k in INCOMING_KINDS],
        "stirred_bodies": _fluid_bodies(state, variant),
        "walls": [p for p in every if p not in paired and kinds.get(p, "wall") in STICKING],
        "scalar_kinds": [(k.model_fields["kind"].default, k.words) for k in SCALARS],
        "kinds": [(k.model_fields["kind"].default, k.words) for k in KINDS],
    }


def _around(studio: Studio, state: StudyState, variant: VariantState) -> Around | None:
    """What stands in the tunnel of a shape in space, as far as it is made."""
    making = making_of(studio, state, variant) if variant.variant.geometry.kind == "space" else None
    notes = making.said["notes"] if making is not None and making.said else ()
    told = next((n["more"] for n in notes if "covers" in n["more"]), None)
    path = f"/variants/{variant.index}/geometry/tunnel"
    return None if told is None else Around(told["blockage"], told["covers"] ** 0.5, told["before"], path)


def _spans(studio: Studio, state: StudyState, variant: VariantState | None) -> Spans:
    """Lines through the middle of each patch of a shape in space."""
    making = making_of(studio, state, variant) if variant and variant.variant.geometry.kind == "space" else None
    told = making.said["patches"] if making is not None and making.said else ()
    return {p["name"]: p["spans"] for p in told if p.get("spans")}


def _pace(variant: VariantState) -> float:
    """How long a cell took in an iteration of the last steady run, in s; 0 where none was long enough to tell."""
    told = variant.run.summary or {}
    if variant.prepared.timing.kind != "steady" or told.get("end") is not None:
        return 0.0  # a step in time is several iterations
    rounds = (told.get("iterations") or 0) * (told.get("cells") or 0)
    return float(told.get("seconds") or 0.0) / rounds if rounds and told["iterations"] >= FIRST_ROUNDS else 0.0


def _advice(studio: Studio, state: StudyState, variant: VariantState, numbers: dict[str, Any] | None) -> list[Advice]:
    """All that is to be looked at before a run of a variant."""
    told = numbers or {}
    cells = (variant.mesh.summary or {}).get("cells") or 0
    around, pace = _around(studio, state, variant), _pace(variant)
    flowing = Flowing(told.get("speed") or 0.0, told.get("reynolds") or 0.0, cells, around, pace)
    return advice(state.study, variant.prepared, list(state.problems), flowing)


def _reckoned(state: StudyState, variant: VariantState | None, numbers: dict[str, Any] | None) -> list[dict[str, Any]]:
    """The calculators that a set-up asks for most."""
    if variant is None:
        return []
    asked = ["reynolds", "development"] + (["incoming", "first_height"] if state.study.set_up.turbulence else [])
    asked += ["step"] if state.study.set_up.timing.kind == "in_time" else []
    known, scope = known_of(variant, numbers), named_scope(state.study, variant.variant)
    return [card(CALCULATORS[name], {}, known, scope, state.row.slug, state.study) for name in asked]


def _shown_areas(state: StudyState, variant: VariantState | None) -> list[tuple[str, float]]:
    """What the walls of a drawing show to the stream, in m², those inside first."""
    shape = variant.prepared.shape if variant else None
    if shape is None or variant is None:
        return []
    along = np.array(variant.prepared.places.references.along[:2])
    through = {b.patch for b in variant.prepared.said if b.kind not in STICKING}
    outline = {e.patch for e in shape.rings[0]}
    names = sorted((p for p in shape.patches if p not in through), key=lambda p: (p in outline, p))
    found = []
    for name in names[:MOST_SHOWN]:
        ends = np.array([[(e.x0, e.y0), (e.x1, e.y1)] for e in shape.edges() if e.patch == name])
        found.append((name, shadow_of_edges(ends, along) * shape.depth))
    return [(name, area) for name, area in found if area > 0]


def _in_space(studio: Studio, state: StudyState, variant: VariantState | None) -> str:
    """What the canvas needs of a shape in space, '' where there is none or it is not made yet."""
    if variant is None or not isinstance(variant.variant.geometry, SpaceGeometry):
        return ""
    making = making_of(studio, state, variant)
    if making is None or making.said is None or making.order is None:
        return ""
    geometry = variant.variant.geometry
    return view_data(
        making.said, patch_rows(making.said, variant.prepared.said, geometry.colours), making.order, geometry.tunnel
    )


def _several(patches: list[str]) -> list[str]:
    """Patterns that two patches or more begin by."""
    begins = Counter(name.rsplit("_", 1)[0] for name in patches if "_" in name)
    return [f"{begin}_*" for begin, count in sorted(begins.items()) if count > 1]


def _drawn(shape: PlaneShape, variant: VariantState) -> Drawing:
    """The drawing with what stands within."""
    made = drawing(shape, variant.prepared.said)
    mark_within(made, variant)
    return made


def _fluid_bodies(state: StudyState, variant: VariantState | None) -> list[str]:
    """Names of the bodies in which something flows."""
    if variant is None:
        return []
    geometry, materials = variant.prepared.geometry, variant.prepared.materials
    bodies = getattr(geometry, "bodies", ())
    return [b.name for b in bodies if b.holds == "fluid" and not isinstance(materials.get(b.name), Solid)]


def _heat(studio: Studio, state: StudyState, variant: VariantState | None) -> dict[str, Any]:
    """Bodies with what they are made of, and what can be said of them and of patches."""
    materials = state.study.set_up.materials
    names = list(variant.prepared.places.bodies) if variant else []
    found = []
    for name in [*names, *(n for n in materials if n not in names)]:
        said = materials.get(name)
        kind = "as_set_up" if said is None else getattr(said, "substance", said.kind)
        found.append({"name": name, "kind": kind})
    lower = [
        (words, [(key, title[:1].lower() + title[1:]) for key, title in group]) for words, group in material_groups()
    ]
    choices = [("Of the set-up", [("as_set_up", "the fluid above")]), *lower]
    choices.append(
        (
            "Of its own",
            [
                ("own", "a fluid of its own"),
                ("gas", "a gas of its own"),
                ("own_solid", "a solid of its own"),
                *kept_options(studio.store, False),
            ],
        )
    )
    return {
        "heat_bodies": found, "material_choices": choices,
        "heat_kinds": [(k.model_fields["kind"].default, k.words) for k in PATCH_KINDS],
    }  # fmt: skip


BODIES["set-up"] = body


@router.get("/studies/{slug}/set-up")
@router.get("/studies/{slug}/set-up/{name}")
def set_up(studio: StudioHere, state: StateHere, name: str | None = None, part: str = "") -> HTMLResponse:
    return stage(studio, state, "set-up", variant_of(state, name), whole=part != "body")
