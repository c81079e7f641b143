"""Cards of calculators: what was typed, or what a study knows, and what comes of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from brook.core.checks.advice import speed_of_sound
from brook.core.editing.putting import spots_for
from brook.core.formulas import FormulaError, Scope
from brook.core.materials import ConstantFluid
from brook.core.physics.reckoning import Calculator, Input, Result
from brook.core.study import Study, value_at
from brook.core.units import DIMENSIONS, from_si, powered, sensible_unit, show
from brook.web.state import VariantState

PROPERTIES = ("density", "viscosity", "heat_capacity", "conductivity", "expansion")
DIGITS, LONGEST = 5, 500
UNITS = {
    "dynamic_viscosity": "Pa s", "heat_capacity": "J/(kg K)", "conductivity": "W/(m K)", "expansion": "K^-1", "film_coefficient": "W/(m^2 K)", "pressure": "Pa",
}  # fmt: skip


@dataclass(frozen=True)
class PatchSize:
    """A patch that can be picked, its area in m² and how long its outline is in m."""

    name: str
    area: float
    rim: float


def known_of(
    variant: VariantState | None, told: dict[str, Any] | None, patch: PatchSize | None = None
) -> dict[str, str]:
    """What a study says of what calculators ask for, as texts, with numbers `told` of its flow, and of a `patch` that was picked."""
    found: dict[str, str] = {}
    fluid = variant.prepared.fluid if variant else None
    if isinstance(fluid, ConstantFluid):
        for name in PROPERTIES:
            value, name_of = getattr(fluid, name), "dynamic_viscosity" if name == "viscosity" else name
            if value > 0:
                found[name] = _text(value, name_of)
        if (sound := speed_of_sound(fluid)) > 0:
            found["sound"] = _text(sound, "speed")
    if told and told.get("speed"):
        found["speed"] = _text(told["speed"], "speed")
    if told and told.get("length"):
        found["width"] = _text(told["length"], "length")
    if patch is not None and patch.area > 0 and patch.rim > 0:
        found |= {"area": _text(patch.area, "area"), "rim": _text(patch.rim, "length")}
        found["width"] = _text(4 * patch.area / patch.rim, "length")
        if told and told.get("flow"):
            found["speed"] = _text(told["flow"] / patch.area, "speed")
    return found


def _text(value: float, dimension: str) -> str:
    """A value as one types it."""
    unit = UNITS.get(dimension) or sensible_unit(DIMENSIONS[dimension], value)
    return f"{float(f'{from_si(value, unit):.{DIGITS}g}'):.{DIGITS}g} {unit}".strip()


def card(
    calculator: Calculator, typed: dict[str, str], known: dict[str, str], scope: Scope, slug: str,
    study: Study | None = None, patch: str = "",
) -> dict[str, Any]:  # fmt: skip
    """What the card of a calculator shows, with where in a `study` what it finds can be put; `patch` is one that was picked."""
    fields, values, problem = [], {}, ""
    for entry in calculator.inputs:
        text = typed.get(entry.name) or known.get(entry.of, "") or entry.usual
        why = ""
        try:
            values[entry.name] = _value(entry, text, scope)
        except FormulaError as error:
            why = error.message
        fields.append({"name": entry.name, "title": entry.title, "text": text, "why": why, "assumed": bool(slug and entry.of) and not typed.get(entry.name) and entry.of not in known})  # fmt: skip
    results: list[dict[str, Any]] = []
    if len(values) == len(calculator.inputs):
        try:
            results = [_shown(result, study) for result in calculator.reckon(values)]
        except (ValueError, OverflowError, ZeroDivisionError) as error:
            problem = str(error)
    return {"c": calculator, "fields": fields, "results": results, "problem": problem, "slug": slug, "patch": patch}


def _value(entry: Input, text: str, scope: Scope) -> float:
    """The SI value of a text. Raises `FormulaError`."""
    if len(text) > LONGEST:
        raise FormulaError(f"a formula may have {LONGEST} characters; this one is longer")
    if entry.difference and ("degC" in text or "°C" in text):
        raise FormulaError("this is a difference of temperatures: write it in K")
    return value_at(text, entry.value, scope)


def _shown(result: Result, study: Study | None) -> dict[str, Any]:
    number = result.dimension == "number"
    return {
        "title": result.title, "words": result.words, "name": result.name,
        "value": powered(result.value) if number else show(result.value, DIMENSIONS[result.dimension]),
        "text": _text(result.value, result.dimension),
        "spots": spots_for(study, result.name) if study is not None else [],
    }  # fmt: skip
