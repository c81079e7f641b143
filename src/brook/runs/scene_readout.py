"""Questions to the result reader about pictures in space: the boundary of a mesh, and layers worked out from a recipe.

What was worked out stays in memory by what it was made from, as long as there is room; the browser keeps it too.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable

from pydantic import TypeAdapter, ValidationError

from brook.core.results.pictures import Seen, boundary, drawn
from brook.core.study.layers import Layer
from brook.runs.readout import Source, loaded, view_of

MOST_BYTES = 200_000_000
MOST_RECIPE = 40_000  # characters
_LAYER: TypeAdapter[Layer] = TypeAdapter(Layer)
_kept: OrderedDict[tuple[str, ...], bytes] = OrderedDict()


def boundary_of(source: Source) -> bytes:
    """The boundary of a result's mesh, packed."""
    return _made((source.root, source.mesh_key), lambda: boundary(loaded(source).fields.mesh).packed())


def layer(source: Source, quantity: str, recipe: str, other: Source | None = None) -> bytes:
    """A layer, packed, from its recipe as JSON, coloured by a quantity, less that of another result where there is one.

    Raises `KeyError` for a quantity or a patch that is not there, `ValueError` for what cannot be drawn and `FormulaError`."""
    if len(recipe) > MOST_RECIPE:
        raise ValueError("this recipe is too long")
    try:
        wanted = _LAYER.validate_json(recipe)
    except ValidationError as error:
        first = error.errors()[0]
        raise ValueError(f"{'.'.join(map(str, first['loc']))}: {first['msg']}") from None
    less = None if other is None else Seen(view_of(other), loaded(other).locator, quantity)
    seen = Seen(view_of(source), loaded(source).locator, quantity, less)
    key: tuple[str, ...] = (source.root, source.run_key, source.document, source.variant, quantity, recipe)
    key += () if other is None else (other.run_key, other.variant)

    return _made(key, lambda: drawn(wanted, seen).packed())


def _made(key: tuple[str, ...], make: Callable[[], bytes]) -> bytes:
    if key not in _kept:
        _kept[key] = make()
    _kept.move_to_end(key)
    while len(_kept) > 1 and sum(map(len, _kept.values())) > MOST_BYTES:
        _kept.popitem(last=False)
    return _kept[key]
