"""Questions to the result reader about pictures in space: the boundary of a mesh, and layers worked out from a recipe.

What was worked out stays in memory by what it was made from, as long as there is room; the browser keeps it too.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from typing import TypeVar

import numpy as np
from pydantic import TypeAdapter, ValidationError

from brook.core.mesh import Mesh
from brook.core.results.picture import usual_section
from brook.core.results.pictures import Seen, boundary, drawn
from brook.core.results.pictures.plates import scene_of
from brook.core.results.quantities import View, drawn_of
from brook.core.results.space import Locator
from brook.core.study.layers import CutLayer, Layer
from brook.core.study.views import Plate
from brook.runs.readout import Source, at_time, known_then, loaded, time_of, view_of

BOUNDARY = "boundary.bin"  # of a mesh, beside it
FIRST = ("speed", "pressure", "temperature")  # quantities of which a run keeps its usual cut, for pages that open
MOST_BYTES = 200_000_000
MOST_RECIPE = 40_000  # characters
Kind = TypeVar("Kind")
_LAYER: TypeAdapter[Layer] = TypeAdapter(Layer)
_PLATE = TypeAdapter(Plate)
_kept: OrderedDict[tuple[str, ...], bytes] = OrderedDict()


def boundary_of(source: Source) -> bytes:
    """The boundary of a result's mesh, packed."""
    return _made((source.root, source.mesh_key), lambda: boundary(loaded(source).fields.mesh).packed())


def usual_cut(mesh: Mesh) -> CutLayer:
    """The cut that a page shows of a result in space when nothing else is asked for."""
    axis, at = usual_section(mesh)
    through, across = np.zeros((2, 3))
    through[axis], across[axis] = at, 1.0
    return CutLayer(through=tuple(through), across=tuple(across))


def usual_name(quantity: str) -> str:
    """The file of a run's usual cut in the colours of a quantity."""
    return f"usual-{quantity}.bin"


def usual_cuts(view: View) -> dict[str, bytes]:
    """Files by their names: the usual cut of a result in space in the colours of the first quantities, packed."""
    wanted, locator = usual_cut(view.fields.mesh), Locator(view.fields.mesh)
    return {usual_name(q): drawn(wanted, Seen(view, locator, q)).packed() for q in FIRST if q in drawn_of(view.fields)}


def usual(source: Source, quantity: str) -> bytes:
    """The usual cut in the colours of a quantity, packed."""
    return layer(source, quantity, usual_cut(loaded(source).fields.mesh).model_dump_json())


def layer(source: Source, quantity: str, recipe: str, other: Source | None = None, coarse: bool = False) -> bytes:
    """A layer, packed, from its recipe as JSON, coloured by a quantity, less that of another result where there is one; `coarse`
    while it moves.

    Raises `KeyError` for a quantity or a patch that is not there, `ValueError` for what cannot be drawn and `FormulaError`."""
    if len(recipe) > MOST_RECIPE:
        raise ValueError("this recipe is too long")
    wanted = _read(_LAYER, recipe)
    if other is not None and source.moment:
        other = at_time(other, time_of(source))
    seen = _seen(source, quantity, other)
    if coarse:
        return drawn(wanted, seen, coarse=True).packed()
    key: tuple[str, ...] = (
        source.root,
        source.run_key,
        source.document,
        source.variant,
        source.moment,
        quantity,
        recipe,
    )
    key += () if other is None else (other.run_key, other.variant)

    return _made(key, lambda: drawn(wanted, seen).packed())


def scene(source: Source, plate: str, title: str, other: Source | None = None) -> bytes:
    """What a picture shows as GLB, from its plate as JSON; what fell short is told in it. Raises as `layer` does."""
    if len(plate) > MOST_RECIPE:
        raise ValueError("this picture is too long to be read")
    wanted = _read(_PLATE, plate)
    if other is not None and source.moment:
        other = at_time(other, time_of(source))
    return scene_of(wanted, _seen(source, wanted.quantity, other), title)[0]


def _read(kind: TypeAdapter[Kind], text: str) -> Kind:
    """What a page asks for, from JSON. Raises `ValueError` that says where it is wrong."""
    try:
        return kind.validate_json(text)
    except ValidationError as error:
        first = error.errors()[0]
        raise ValueError(f"{'.'.join(map(str, first['loc']))}: {first['msg']}") from None


def _seen(source: Source, quantity: str, other: Source | None) -> Seen:
    known_then(source, quantity)
    less = None if other is None else Seen(view_of(other), loaded(other).locator, quantity)
    return Seen(view_of(source), loaded(source).locator, quantity, less)


def _made(key: tuple[str, ...], make: Callable[[], bytes]) -> bytes:
    if key not in _kept:
        _kept[key] = make()
    _kept.move_to_end(key)
    while len(_kept) > 1 and sum(map(len, _kept.values())) > MOST_BYTES:
        _kept.popitem(last=False)
    return _kept[key]
