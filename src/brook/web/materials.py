"""The library as pages say it: what can be chosen, rows of values at a temperature, a substance over temperatures, and where each is used."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from typing import Any

import numpy as np

from brook.core.formulas import FormulaError, Reading
from brook.core.materials import library
from brook.core.materials.catalogue import SUBSTANCES
from brook.core.materials.library import ATMOSPHERE, State
from brook.core.materials.solids import BUILDING, LISTED, METALS
from brook.core.study import Value, value_at
from brook.core.units import DIMENSIONS, show
from brook.store import Store
from brook.store.materials import kept_materials
from brook.store.tables import StudyRow
from brook.web.graph import graph

Options = list[tuple[str, str]]
PROPERTIES = ("density", "viscosity", "heat_capacity", "conductivity")
UNITS = {"density": ("kg/m³", 1.0), "viscosity": ("mPa s", 1e3), "gas viscosity": ("10⁻⁶ Pa s", 1e6), "heat_capacity": ("kJ/(kg K)", 1e-3),
         "conductivity": ("W/(m K)", 1.0)}  # fmt: skip
HUMIDITY = 0.5  # of the air that the page tells
MOST_PLACES = 60


def fluid_groups() -> list[tuple[str, Options]]:
    """Liquids and gases of the library, by key and title."""
    return [
        (words, [(key, known.title) for key, known in SUBSTANCES.items() if known.phase == phase])
        for words, phase in (("Liquids", "liquid"), ("Gases", "gas"))
    ]


def material_groups() -> list[tuple[str, Options]]:
    """The same with solids."""
    solids = [(key, known.solid.title, known.source) for key, known in LISTED.items()]
    metals = [(key, title) for key, title, source in solids if source == METALS]
    building = [(key, title) for key, title, source in solids if source == BUILDING]
    others = [(key, title) for key, title, source in solids if source not in (METALS, BUILDING)]
    return [
        *fluid_groups(), ("Metals", metals), ("Ceramics and plastics", others), ("Building materials and others", building),
    ]  # fmt: skip


def kept_options(store: Store, fluids_only: bool = True) -> Options:
    """Materials of one's own that are kept, each with its statement as the key."""
    rows = [(row.said, row.title) for row in kept_materials(store)]
    return [(said, title) for said, title in rows if not fluids_only or json.loads(said)["kind"] != "own_solid"]


def no_names(reading: Reading) -> Any:
    """The scope of a page without a study."""
    raise FormulaError("a value with its unit is wanted, as 20 degC", reading.position)


def typed(text: str, dimension: str) -> float:
    """A value that somebody typed. Raises `FormulaError`."""
    return value_at(text, Value(dimension, "positive"), no_names)


def fluid_rows(temperature: float, pressure: float, wanted: str) -> list[dict[str, Any]]:
    """A row for each liquid and gas whose words hold those wanted: its properties in this state, or why it has none there."""
    return [
        _fluid_row(key, temperature, pressure)
        for key in SUBSTANCES
        if _is_wanted(wanted, key, SUBSTANCES[key].title, SUBSTANCES[key].phase)
    ]


def solid_rows(wanted: str) -> list[dict[str, Any]]:
    """The same of solids."""
    found = []
    for key, listed in LISTED.items():
        solid, finishes = listed.solid, ", ".join(f"{words} {value:.2f}" for words, value in listed.finishes)
        if _is_wanted(wanted, key, solid.title, "solid", finishes):
            spreading = solid.conductivity / (solid.density * solid.heat_capacity)
            found.append(
                {"key": key, "solid": solid, "spreading": spreading, "finishes": finishes, "source": listed.source}
            )
    return found


def _is_wanted(wanted: str, *words: str) -> bool:
    told = " ".join(words).lower()
    return all(part in told for part in wanted.lower().split())


def _fluid_row(key: str, temperature: float, pressure: float) -> dict[str, Any]:
    known = SUBSTANCES[key]
    row: dict[str, Any] = {"key": key, "title": known.title, "phase": known.phase, "told": None, "words": ""}
    try:
        if key == "humid_air" and (half := library.half_humid(temperature, pressure)):
            return row | {"told": _shown(*half)}
        state = _state(key, temperature, pressure)
        low, high = library.range_of(state.called)
        if low <= temperature <= high:
            row["told"] = _shown(*_values(state, temperature))
        elif low < high:
            kelvin = DIMENSIONS["temperature"]
            row["words"] = f"told as a {known.phase} from {show(low, kelvin)} to {show(high, kelvin)}"
        else:
            row["words"] = f"no {known.phase} at this pressure"
    except ValueError:  # CoolProp's own words name its routines
        row["words"] = "not known in this state"
    return row


def _shown(density: float, viscosity: float, capacity: float, conductivity: float) -> tuple[float, ...]:
    return density, viscosity, viscosity / density, capacity, conductivity, viscosity * capacity / conductivity


def _state(key: str, temperature: float, pressure: float) -> State:
    if key != "humid_air":
        return State(key, pressure)
    known = SUBSTANCES[key]
    if not known.low <= temperature <= known.high:
        return State(key, pressure)
    return State(key, pressure, float(f"{library.moisture_of(temperature, pressure, HUMIDITY):.9g}"))


def _values(state: State, temperature: float) -> tuple[float, ...]:
    """Density, viscosity, heat capacity and conductivity; at 1 atm as kept, or along the table, which needs no CoolProp."""
    if state.pressure != ATMOSPHERE or state.name == "humid_air":
        return library.at(state.called, temperature)[:4]
    if known := library.kept_at(state.called, temperature):
        return known[:4]
    at, values = library.table(state.called)
    return tuple(float(np.interp(temperature, at, values[name])) for name in PROPERTIES)


def told_fluid(key: str, pressure: float) -> dict[str, Any]:
    """A substance over temperatures: graphs of its properties, and where they are from."""
    known = SUBSTANCES[key]
    state = _state(key, 293.15, pressure)
    at, values = library.table(state.called)
    kelvin = DIMENSIONS["temperature"]
    return {
        "key": key, "title": known.title, "phase": known.phase, "source": known.source,
        "range": f"{show(float(at[0]), kelvin)} to {show(float(at[-1]), kelvin)}",
        "graphs": [_drawn(at, values[name], name, known.phase == "gas") for name in PROPERTIES],
    }  # fmt: skip


def _drawn(at: np.ndarray, values: np.ndarray, name: str, is_gas: bool) -> dict[str, Any]:
    words, (unit, factor) = name.replace("_", " "), UNITS["gas viscosity" if name == "viscosity" and is_gas else name]
    line = [(float(t) - library.CELSIUS, factor * float(v)) for t, v in zip(at, values, strict=True)]
    return {
        **graph({"line": line, "points": [], "logarithmic": False}), "x": "temperature in °C", "y": f"{words} in {unit}",
        "title": words.capitalize(), "words": "",
    }  # fmt: skip


def kept_rows(store: Store, wanted: str) -> list[dict[str, Any]]:
    """Materials of one's own: what is said of each, as it is written."""
    found = []
    for row in kept_materials(store):
        said = json.loads(row.said)
        if _is_wanted(wanted, row.title, said["kind"].replace("_", " ")):
            found.append(
                {"id": row.id, "title": row.title, "kind": said["kind"], "who": row.who, "said": _written(said)}
            )
    return found


def _written(said: dict[str, Any]) -> str:
    values = {k: v for k, v in said.items() if k not in ("kind", "title", "law") and isinstance(v, str)}
    return "; ".join(f"{name.replace('_', ' ')} {text}" for name, text in values.items())


def places_of(rows: Iterable[StudyRow]) -> dict[str, list[tuple[str, str, str]]]:
    """(address, title of the study, body or fluid) of all places in studies where a material is said, by its name in the library or its own title."""
    found: dict[str, list[tuple[str, str, str]]] = {}
    for row in rows:
        document = json.loads(row.document)
        for where, said in _said_in(document):
            name = said.get("substance") or said.get("title", "")
            places = found.setdefault(name, [])
            if len(places) < MOST_PLACES:
                places.append((row.slug, document["title"], where))
    return found


def _said_in(document: dict[str, Any]) -> Iterator[tuple[str, dict[str, Any]]]:
    set_up = document.get("set_up", {})
    yield "the fluid", set_up.get("fluid", {"substance": "water"})
    yield from set_up.get("materials", {}).items()
