"""The arrays that a run goes on from, by the equation they belong to."""

from __future__ import annotations

import numpy as np

State = dict[str, np.ndarray]
SolverState = dict[str, State]

KINDS = {"flow": "a flow", "heat": "solids alone"}


def check_state(state: SolverState, kind: str, versions: dict[str, int]) -> list[str]:
    """What of a state has no place in a solver of a `kind` with equations of these `versions`, in words.

    Raises `ValueError` where the solver cannot start from it.
    """
    if kind not in state:
        other = KINDS.get(next(iter(state), ""), "something else")
        raise ValueError(f"the start state is that of {other}, not of {KINDS.get(kind, kind)}; begin anew")
    for name, arrays in state.items():
        version = int(arrays.get("version", np.array(1)))
        if name in versions and version != versions[name]:
            raise ValueError(
                f"the start state keeps {name} as version {version} of Brook's solver does, this is {versions[name]}; begin anew"
            )
    return [f"{name} of the state before was left out" for name in state if name not in versions]


def versioned(state: State, version: int) -> State:
    """A state that says its version."""
    return {"version": np.array(version), **state}


def written_state(state: SolverState) -> State:
    """All arrays under names of their own, for a file."""
    return {f"{equation}/{name}": values for equation, arrays in state.items() for name, values in arrays.items()}


def read_state(arrays: State) -> SolverState:
    """The same from a file; one that was kept before states went by equation is lifted."""
    if arrays and not any("/" in name for name in arrays):
        arrays = {_lifted(name): values for name, values in arrays.items()}
    found: SolverState = {}
    for name, values in arrays.items():
        equation, _, own = name.partition("/")
        found.setdefault(equation, {})[own] = values
    return found


def _lifted(name: str) -> str:
    """Where a flat name of before stands now."""
    if name in ("temperature", "boundary_temperature"):
        return "heat/value" if name == "temperature" else "heat/boundary"
    if name == "clock":
        return "time-clock/clock"
    if name.startswith("moment-"):
        number, rest = name.removeprefix("moment-").split("-", 1)
        rest = rest.replace("of-temperature", "heat:value").replace("of-", "heat:")
        return f"time-level-{number}/{rest}"
    if name == "averaged" or name.startswith("sum-"):
        return f"time-averages/{name}"
    return f"flow/{name}"
