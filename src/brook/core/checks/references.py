"""Reference values of coefficients."""

from __future__ import annotations

from brook.core.formulas import FormulaError, Scope
from brook.core.materials import ConstantFluid
from brook.core.results.quantities import References
from brook.core.study import Problem, Study, Value, value_at


def references_of(study: Study, scope: Scope, problems: list[Problem], fluid: ConstantFluid | None) -> References:
    """Reference values of coefficients; what is empty is worked out from the run."""
    said = study.set_up.reference
    values = {
        "speed": Value("speed", "positive"), "pressure": Value("pressure"), "density": Value("density", "positive"),
        "area": Value("area", "positive"), "length": Value("length", "positive"), "temperature": Value("temperature", "positive"), **{axis: Value("length") for axis in "xyz"},
    }  # fmt: skip
    found: dict[str, float | None] = {}
    for name, value in values.items():
        text = getattr(said, name)
        found[name] = None
        try:
            found[name] = value_at(text, value, scope) if text.strip() else None
        except FormulaError as error:
            problems.append(Problem(f"/set_up/reference/{name}", error.message))
    if said.along[-1] == said.up[-1]:
        problems.append(
            Problem("/set_up/reference/up", "lift goes across the stream; choose another direction", "missing")
        )
    return References(
        found["speed"], found["pressure"] or 0.0, found["density"], found["area"], found["length"], _direction(said.along), _direction(said.up),
        (found["x"] or 0.0, found["y"] or 0.0, found["z"] or 0.0), found["temperature"], fluid.conductivity if fluid else None,
    )  # fmt: skip


def _direction(axis: str) -> tuple[float, float, float]:
    sign = -1.0 if axis.startswith("-") else 1.0
    return (sign * (axis[-1] == "x"), sign * (axis[-1] == "y"), sign * (axis[-1] == "z"))
