"""From a resolved space geometry to its surface, stage after stage; each stage is known by a key of its inputs.

A step that does not fit the shape leaves it as it was and says why, so that a replaced file never loses the rest.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from dataclasses import asdict, dataclass, field
from typing import Any

import numpy as np

from brook.core.geometry.booleans import NotClosed, combined, together
from brook.core.geometry.closing import closed_by
from brook.core.geometry.contacts import Contact, joined
from brook.core.geometry.enclosing import on_patches
from brook.core.geometry.files import FileError
from brook.core.geometry.files.told import joined_words
from brook.core.geometry.parts import renamed
from brook.core.geometry.sharing import shared_walls
from brook.core.geometry.solids import solid
from brook.core.geometry.steps import WORDS, done
from brook.core.geometry.surface import Surface
from brook.core.geometry.tunnel import blockage, with_tunnel
from brook.core.geometry.unit_check import in_metres, likely_unit, sizes
from brook.core.study import Resolved
from brook.core.study.ordered import is_ordered
from brook.core.study.resolve import plain
from brook.core.study.space import brings_mesh
from brook.core.units import DIMENSIONS, show

SHAPE_VERSION = 2
MOST_SHARED = 4  # walls that solids share, the largest, that a note names


@dataclass(frozen=True)
class Note:
    """What a stage did: where it stands in the geometry (pointer), what is to be said of it, what kept it."""

    pointer: str
    words: str = ""
    problem: str = ""
    more: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class State:
    """A surface on its way, with notes of every stage so far; `within` is what stands in the tunnel, once there is one."""

    surface: Surface
    notes: tuple[Note, ...] = ()
    within: Surface | None = None


@dataclass(frozen=True, eq=False)
class Stage:
    """One stage: its key (of all before it too), words for progress, and what it does."""

    key: str
    words: str
    do: Callable[[State], State]


Reader = Callable[[Resolved], Surface]
Wrapper = Callable[[Surface, Resolved], tuple[Surface, list[str]]]
NOTHING = State(together([]))


def _no_wrapper(surface: Surface, wrap: Resolved) -> tuple[Surface, list[str]]:
    raise AssertionError("nobody here can wrap")


def stages(geometry: Resolved, read: Reader, wrap: Wrapper = _no_wrapper) -> list[Stage]:
    """The stages of a resolved geometry in their order. `read` gives the surface of a file part in its own unit, or the
    skin of a part with cells in rows; `wrap` one wrapped as a statement says."""
    found: list[Stage] = []

    def add(words: str, inputs: Any, do: Callable[[State], State]) -> None:
        before = found[-1].key if found else ""
        text = json.dumps([before, inputs, SHAPE_VERSION], sort_keys=True, default=str)
        found.append(Stage(hashlib.sha256(text.encode()).hexdigest()[:20], words, do))

    for k, part in enumerate(geometry.parts):
        words = f"reading {part.file}" if part.kind == "file" else f"building {part.name}"
        add(words, plain(part), _whole(k, part, read) if is_ordered(part) else _part(k, part, read))
    openings = [closing.at for closing in geometry.closings]
    openings += [closing.inner for closing in geometry.closings if closing.inner is not None]
    for k, step in enumerate(geometry.steps):
        if step.kind in ("fill", "fill_slits"):  # what is named as open stays so
            step = Resolved(**vars(step), openings=openings)
        add(WORDS[step.kind], plain(step), _step(k, step))
    if geometry.closings:
        add("closing openings", plain(geometry.closings), _closing(geometry.closings))
    if looks_for_contacts(geometry):
        add("looking what touches", plain(geometry.touching), _touching(geometry.touching))
    if geometry.wrap is not None:
        add("wrapping", plain(geometry.wrap), _wrapping(geometry.wrap, wrap))
    if geometry.sheets:
        add("looking at sheets", plain(geometry.sheets), _sheets(geometry.sheets))
    if geometry.tunnel is not None:
        add("putting the tunnel around", plain(geometry.tunnel), _tunnel(geometry.tunnel))
    return found


def looks_for_contacts(geometry: Resolved) -> bool:
    """Whether walls of solids that lie on each other are made one: files bring such, and a wrap leaves none."""
    return geometry.wrap is None and any(p.kind == "file" and not brings_mesh(p) for p in geometry.parts)


def shaped(geometry: Resolved, read: Reader, wrap: Wrapper = _no_wrapper) -> State:
    """All stages one after the other."""
    state = NOTHING
    for stage in stages(geometry, read, wrap):
        state = stage.do(state)
    return state


def _part(index: int, part: Resolved, read: Reader) -> Callable[[State], State]:
    def do(state: State) -> State:
        pointer = f"/parts/{index}"
        try:
            fresh, note = _from_file(pointer, part, read) if part.kind == "file" else (solid(part), Note(pointer))
            if part.kind == "file" or not state.surface.count:
                if part.kind != "file" and part.action not in ("add", "apart"):
                    raise ValueError("there is nothing yet to take from; add a part before this one")
                surface = together([state.surface, fresh])
            else:
                surface = _put(state.surface, fresh, part.action)
        except (FileError, NotClosed, ValueError) as error:
            return State(state.surface, (*state.notes, Note(pointer, "", str(error))))
        return State(surface, (*state.notes, note))

    return do


def _whole(index: int, part: Resolved, read: Reader) -> Callable[[State], State]:
    """A part with cells of its own: its skin as it is."""

    def do(state: State) -> State:
        pointer = f"/parts/{index}"
        try:
            surface = together([state.surface, read(part)])
        except ValueError as error:
            return State(state.surface, (*state.notes, Note(pointer, "", str(error))))
        return State(surface, (*state.notes, Note(pointer)))

    return do


def _put(there: Surface, fresh: Surface, action: str) -> Surface:
    if action == "apart":
        return shared_walls(there, fresh)
    try:
        return combined(there, fresh, action)
    except NotClosed:
        if action != "add":
            raise
        return together([there, fresh])


def _from_file(pointer: str, part: Resolved, read: Reader) -> tuple[Surface, Note]:
    raw = read(part)
    unit = part.unit or likely_unit(raw)
    more = {
        "sizes": {u: [float(s) for s in sides] for u, sides in sizes(raw).items()}, "unit": unit,
        "patches": list(raw.patches), "triangles": raw.count,
    }  # fmt: skip
    surface = in_metres(raw, unit)
    unknown = [n for n in part.names if n not in raw.patches]
    for name, to in part.names.items():
        if name in surface.patches:
            surface = renamed(surface, name, to)
    words = [] if not unknown else [f"the file has no part called {', '.join(unknown)}"]
    words += joined_words(raw)
    return surface, Note(pointer, "; ".join(words), "", more)


def _step(index: int, step: Resolved) -> Callable[[State], State]:
    def do(state: State) -> State:
        before = state.surface
        surface, problem = done(before, step)
        note = Note(f"/steps/{index}", "" if problem else difference(before, surface), problem)
        return State(surface, (*state.notes, note))

    return do


def difference(before: Surface, after: Surface) -> str:
    """What a step changed, in words."""
    said = []
    for number, what in ((after.count - before.count, "triangle"), (len(after.points) - len(before.points), "point")):
        if number:
            said.append(f"{abs(number)} {what}{'s' if abs(number) != 1 else ''} {'more' if number > 0 else 'fewer'}")
    gone = [n for n in before.patches if n not in after.patches]
    new = [n for n in after.patches if n not in before.patches]
    if new:
        said.append(f"new: {', '.join(new[:4])}{' …' if len(new) > 4 else ''}")
    if gone:
        said.append(f"gone: {', '.join(gone[:4])}{' …' if len(gone) > 4 else ''}")
    if said:
        return ", ".join(said)
    if before is after:
        return "nothing to do"
    turned = int((before.triangles != after.triangles).any(axis=1).sum()) if before.count == after.count else 0
    return f"{turned} triangle{'s' if turned != 1 else ''} turned" if turned else ""


def _closing(closings: list[Resolved]) -> Callable[[State], State]:
    def do(state: State) -> State:
        surface, told = closed_by(state.surface, closings)
        notes = tuple(Note(f"/closings/{k}", words, problem) for k, (words, problem) in enumerate(told))
        return State(surface, (*state.notes, *notes))

    return do


def _touching(within: float) -> Callable[[State], State]:
    def do(state: State) -> State:
        try:
            surface, contacts = joined(state.surface, within)
        except ValueError as error:  # the shape is as good as it was
            unseen = {"contacts": [], "shared": [], "odd": [str(error)]}
            return State(state.surface, (*state.notes, Note("/touching", str(error), "", unseen)))
        if not contacts:
            return state
        bent = [contact_words(c, within) for c in contacts if c.kind == "bent"]
        odd = [contact_words(c, within) for c in contacts if c.kind in ("near", "overlap")]
        shared = [
            f"{c.one} and {c.other} share {show(c.area, DIMENSIONS['area'])}" for c in contacts if c.kind == "joined"
        ]
        said = shared[:MOST_SHARED] + ([f"and {len(shared) - MOST_SHARED} more"] if len(shared) > MOST_SHARED else [])
        more = {"contacts": [asdict(c) for c in contacts], "shared": [*said, *bent], "odd": odd}
        words = "; ".join([*said, *bent, *odd])
        return State(surface, (*state.notes, Note("/touching", words, "", more)))

    return do


def contact_words(contact: Contact, within: float) -> str:
    """What is to be said of two walls that lie on each other and are not one."""
    area, apart = show(contact.area, DIMENSIONS["area"]), show(contact.apart, DIMENSIONS["length"])
    if contact.kind == "bent":
        return f"{contact.one} and {contact.other} lie on each other over {area}, bent: the mesh makes one wall of both"
    if contact.kind == "overlap":
        return (
            f"{contact.one} and {contact.other} cut into each other over {area}, about {apart} deep: unite them, take one from the "
            "other, or let walls farther apart be one"
        )
    return (
        f"{contact.one} and {contact.other} nearly touch over {area}, up to {apart} apart; let walls within more than "
        f"{show(within, DIMENSIONS['length'])} be one if they are to touch"
    )


def _wrapping(wish: Resolved, wrap: Wrapper) -> Callable[[State], State]:
    def do(state: State) -> State:
        before = state.surface
        try:
            made, said = wrap(before, wish)
        except ValueError as error:
            more = getattr(error, "more", {})
            return State(before, (*state.notes, Note("/wrap", "", str(error), more)))
        kept = {made.patches[k] for k in set(made.patch.tolist())}
        lost = [n for k, n in enumerate(before.patches) if n not in kept and (before.patch == k).any()]
        words = f"{made.count} triangles"
        if lost:
            words += f"; nothing is left of {', '.join(lost[:4])}{' …' if len(lost) > 4 else ''}"
        return State(made, (*state.notes, Note("/wrap", "; ".join([words, *said]), "", {"said": said})))

    return do


def _sheets(names: list[str]) -> Callable[[State], State]:
    def do(state: State) -> State:
        surface = state.surface
        notes = []
        for k, name in enumerate(names):
            mine = on_patches(surface, [name])
            problem = ""
            if not mine.any():
                problem = f"the shape has no patch called '{name}'; take this out"
            elif not (surface.only(np.nonzero(mine)[0]).edges.uses == 1).any():
                problem = f"{name} goes round a space, so that it is no sheet; take this out"
            area = show(float(surface.areas[mine].sum()), DIMENSIONS["area"])
            notes.append(Note(f"/sheets/{k}", "" if problem else f"a sheet, {area} on each side", problem))
        return State(surface, (*state.notes, *notes), state.within)

    return do


def _tunnel(tunnel: Resolved) -> Callable[[State], State]:
    def do(state: State) -> State:
        try:
            share, covers, before = blockage(state.surface, tunnel)
            surface = with_tunnel(state.surface, tunnel)
        except ValueError as error:
            return State(state.surface, (*state.notes, Note("/tunnel", "", str(error))))
        words = f"the body covers {100 * share:.2g} % of the tunnel's cross-section"
        if share > 0.05:
            words += "; over 5 % the sides hold the flow together and forces come out too large"
        return State(
            surface,
            (*state.notes, Note("/tunnel", words, "", {"blockage": share, "covers": covers, "before": before})),
            state.surface,
        )

    return do
