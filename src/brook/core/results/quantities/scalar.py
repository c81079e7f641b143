"""Scalars that a study has its flow carry, by the names it gives them."""

from __future__ import annotations

from typing import Any

import numpy as np

from brook.core.results.quantities.base import QuantityKind, Values, View
from brook.core.results.quantities.own import OwnQuantity
from brook.core.study.scalars import KINDS
from brook.core.units import DIMENSIONS

DIMENSION_OF = {kind.model_fields["kind"].default: DIMENSIONS[kind.dimension] for kind in KINDS}


def scalar_quantity(said: Any) -> OwnQuantity:
    """The quantity of a statement."""
    name = said.name

    def values(view: View) -> Values:
        fields = view.fields
        nothing = np.full(fields.mesh.cell_count, np.nan), np.full(len(fields.boundary_pressure), np.nan)
        return fields.more.get(name, nothing)

    return OwnQuantity(name, "", QuantityKind(name, DIMENSION_OF[said.kind], said.title.lower(), values, positive=True))
