"""Actions on sweeps."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from brook.core.editing.pointers import EditRefused, name_from, walk
from brook.core.formulas import FormulaError, evaluate, parse
from brook.core.study import Problem, named_scope, told_size
from brook.core.study.document import Study
from brook.core.study.sweeps import told_swept


def _add_sweep(raw: dict[str, Any], title: str, variant: str, name: str, low: str, high: str) -> str:
    """A sweep of a variant over one named value."""
    title = title.strip() or f"{name.replace('_', ' ')} of {variant.replace('_', ' ')}"
    names = [s["name"] for s in raw["sweeps"]]
    raw["sweeps"].append({
        "name": name_from(title, names), "title": title[:1].upper() + title[1:], "variant": variant,
        "values": [_value(name, low, high)],
    })  # fmt: skip
    return f"/sweeps/{len(names)}/values/0/low"


def _add_swept_value(raw: dict[str, Any], pointer: str, name: str, low: str, high: str) -> str:
    """One more named value for a sweep."""
    values = walk(raw, pointer)["values"]
    values.append(_value(name, low, high))
    return f"{pointer}/values/{len(values) - 1}/low"


def _value(name: str, low: str, high: str) -> dict[str, Any]:
    return {"name": name.strip(), "low": low.strip(), "high": high.strip()}


def _take_over(raw: dict[str, Any], case: str, title: str = "") -> str:
    """A new variant with the values of a case of a sweep, after the one that it was made from."""
    swept = told_swept(told_size(case)[0])
    study = Study.model_validate(raw)
    if swept is None:
        raise EditRefused([Problem("", f"'{case}' is no case of a sweep")])
    found = study.variant(told_size(case)[0])
    sweep = next(s for s in study.sweeps if s.name == swept[1])
    k = [v.name for v in study.variants].index(sweep.variant)
    names = [v.name for v in study.variants]
    made = dict(raw["variants"][k])
    title = title.strip() or found.title.replace(study.variant(swept[0]).title, study.variants[k].title, 1)
    named = {v.name: _plainly(study, found.named_values[v.name], v.name, case) for v in sweep.values}
    made |= {"name": name_from(title, names), "title": title[:80], "named_values": {**made["named_values"], **named}}
    raw["variants"].insert(k + 1, made)
    return f"/variants/{k + 1}/title"


def _plainly(study: Study, text: str, name: str, case: str) -> str:
    """A value of a case as one number with its unit."""
    try:
        found = evaluate(parse(name), named_scope(study, study.variant(case)))
    except FormulaError:
        return text
    return f"{float(found.value):.10g} {found.dimension.unit()}".strip()


ACTIONS: dict[str, Callable[..., str]] = {
    "add_sweep": _add_sweep,
    "add_swept_value": _add_swept_value,
    "take_over": _take_over,
}
