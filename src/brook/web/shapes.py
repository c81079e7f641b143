"""What the pages say of a shape in space."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from brook.core.geometry.steps import WORDS
from brook.core.mesh import PLANE_SIDES, WEDGE_SIDES
from brook.core.study import Resolved
from brook.core.study.space import Tunnel, tunnel_names
from brook.core.units import DIMENSIONS, counted, show
from brook.runs.geometry_worker import Making
from brook.runs.shaping import Order
from brook.web.drawing import PALETTE, role_of
from brook.web.state import StudyState, VariantState
from brook.web.studio import Studio

LENGTH, AREA, VOLUME = (DIMENSIONS[k] for k in ("length", "area", "volume"))


def order_of(studio: Studio, state: StudyState, variant: VariantState) -> Order | None:
    """The order for the shape of a variant, None while it has none."""
    space = variant.prepared.space
    if space is None:
        return None
    files, shapes = studio.store.files.root.resolve(), studio.store.shapes.root.resolve()
    studio.note_shape(state.row.id, space.key, space.bodies_key)
    return Order(str(files), str(shapes), state.study.canonical, variant.variant.name, space.key, space.bodies_key)


def making_of(studio: Studio, state: StudyState, variant: VariantState) -> Making | None:
    """How the shape of a variant stands; begins to make it when nobody did."""
    order = order_of(studio, state, variant)
    return None if order is None else studio.geometry_worker.making_of(order, state.row.id)


def small_address(studio: Studio, state: StudyState, variant: VariantState) -> str:
    """Where a small picture of a shape in space is, '' while there is none; begins to make the shape."""
    making = making_of(studio, state, variant) if variant.variant.geometry.kind == "space" else None
    if making is None or making.order is None or not making.said or not making.said["triangles"]:
        return ""
    return f"/views/shape/{making.order.key}/small.png"


@dataclass(frozen=True)
class PatchRow:
    """A patch in the list: `words` say what the set-up says of it."""

    name: str
    colour: str
    role: str
    words: str
    said: bool
    area: str
    suggestion: str
    triangles: int

    @property
    def nameless(self) -> bool:
        """Whether nothing can be said of it: the sides of a slice or a wedge."""
        return self.name in (PLANE_SIDES, WEDGE_SIDES)


def patch_rows(said: dict[str, Any], boundaries: list[Resolved], colours: dict[str, str]) -> list[PatchRow]:
    """Patches in the order of the shape, with their colours."""
    named = {b.patch for b in boundaries}
    rows = []
    for k, patch in enumerate(said["patches"]):
        role, words = role_of(patch["name"], boundaries)
        looks = patch["suggestion"]
        if looks and patch["diameter"]:
            looks = f"{looks}, {show(patch['diameter'], LENGTH)} across"
        rows.append(PatchRow(
            patch["name"], colours.get(patch["name"], PALETTE[k % len(PALETTE)]), role, words, patch["name"] in named, show(patch["area"], AREA),
            looks, patch["triangles"],
        ))  # fmt: skip
    return rows


def headline(said: dict[str, Any], own_mesh: bool = False) -> tuple[str, str]:
    """(kind, sentence): whether there is a closed fluid, or the first thing that keeps it from being one."""
    holes = [o for o in said["openings"] if not o["slit"]]
    wrong = [n for n in said["notes"] if n["problem"]]
    if own_mesh and not wrong:
        sides = [p for p in said["patches"] if p["name"] not in (PLANE_SIDES, WEDGE_SIDES)]
        brought = said.get("brought", ())
        each = ", ".join(f"{counted(n)} in {name}" for name, n in brought)
        bodies = f": {each}" if len(brought) > 1 else ""
        return "good", f"It brings its own cells{bodies}, with {len(sides)} patch{'es' if len(sides) != 1 else ''}."
    if said["bodies"]:
        bad = [b for b in said["bodies"] if b["problem"]]
        if bad:
            return "bad", f"{bad[0]['name']} is not closed: {bad[0]['problem']}."
        told = [body_words(b) for b in said["bodies"]]
        # walls between bodies meet others in such edges
        expected = {"shared_edges"} if len(said["bodies"]) > 1 else set()
        left = ", ".join(f"{f['words']} ({f['count']})" for f in said["findings"] if f["kind"] not in expected)
        kind = "warn" if wrong or left else "good"
        return kind, f"{'; '.join(told)}.{f' Still found: {left}.' if left else ''}"
    if not said["triangles"]:
        return "bad", f"There is nothing to show: {wrong[0]['problem']}." if wrong else "There is no triangle yet."
    if said["closed"]:
        return "warn", f"The surface is closed and holds {show(abs(said['volume']), VOLUME)}; now set the wet point."
    if said["openings"]:
        slits = len(said["openings"]) - len(holes)
        parts = [f"{n} {w}{'s' if n != 1 else ''}" for n, w in ((len(holes), "open rim"), (slits, "slit")) if n]
        return "warn", f"The surface is open: {' and '.join(parts)}. Name those that are openings, fill the others."
    return "warn", "The surface is not closed; the findings say where."


def body_words(body: dict[str, Any]) -> str:
    count = len(body["patches"])
    return f"{body['name']}: closed, volume {show(body['volume'], VOLUME)}, {count} patch{'es' if count != 1 else ''}"


def view_data(said: dict[str, Any], rows: list[PatchRow], order: Order, tunnel: Tunnel | None, before: str = "") -> str:
    """What the canvas needs besides the arrays, as JSON. Sides of a tunnel are seen from within only."""
    around = set(tunnel_names(tunnel).values()) if tunnel is not None else set()
    return json.dumps({
        "key": order.key, "arrays": f"/views/shape/{order.key}", "before": before, "box": said["box"],
        "closed": said["closed"],
        "patches": [{"name": r.name, "colour": r.colour, "role": r.role, "words": r.words, "at": p["at"],
                     "around": r.name in around, "nameless": r.nameless}
                    for r, p in zip(rows, said["patches"], strict=True)],
        "openings": said["openings"],
        "bodies": [{"name": b["name"], "place": b["place"]} for b in said["bodies"]],
    })  # fmt: skip


def unit_choices(more: dict[str, Any]) -> list[tuple[str, str, bool]]:
    """(unit, size of the box in it, whether it is the likeliest) for a file that does not say its unit."""
    return [
        (unit, " × ".join(show(s, LENGTH) for s in sides), unit == more["unit"])
        for unit, sides in more["sizes"].items()
    ]


# What can be done to a shape without picking in it: the step to begin with, by its kind.
STEP_KINDS: dict[str, dict[str, Any]] = {
    "merge": {"within": "0.01 mm"}, "stitch": {"within": "0.1 mm"}, "fill_slits": {},
    "fill": {"largest": "50 mm", "how": "flat"}, "remove_duplicates": {}, "remove_slivers": {}, "spread_sides": {},
    "make_outward": {}, "unite": {}, "move": {"x": "0 mm", "y": "0 mm", "z": "0 mm"}, "turn": {"axis": "z", "angle": "90 deg"},
    "scale": {"factor": "1"}, "mirror": {"axis": "x", "at": "0 mm"},
}  # fmt: skip


def step_words(step: dict[str, Any]) -> str:
    """What a step is called, with its values."""
    given = [str(v) for k, v in step.items() if k not in ("kind", "at") and isinstance(v, str)]
    return f"{WORDS.get(str(step.get('kind')), 'a step')}{': ' + ', '.join(given) if given else ''}"
