"""Boxes of a mesh as they were fitted, kept so that another statement about layers begins there."""

from __future__ import annotations

import os
from collections.abc import Callable

import numpy as np

from brook.core.mesh.boxes import Arrays
from brook.store.files import ResultFiles
from brook.store.room import trouble_of

STAGE, FILE = "boxes", "boxes.npz"
MOST = 2_000_000_000  # bytes of all that are kept
KNOWN = "the boxes are kept from before"


def kept_boxes(files: ResultFiles, key: str, tell: Callable[[str], None], make: Callable[[], Arrays]) -> Arrays:
    """The boxes of a key, or what `make` gives, which is then kept unless it is too large or there is no room."""
    path = files.folder(STAGE, key) / FILE
    try:
        with np.load(path, allow_pickle=False) as file:
            found = {name: file[name] for name in file.files}
        os.utime(path.parent)
    except FileNotFoundError:
        pass
    else:
        tell(KNOWN)
        return found
    made = make()
    if sum(array.nbytes for array in made.values()) > MOST / 2:
        return made
    try:
        with files.making(STAGE, key) as folder:
            np.savez(folder / FILE, allow_pickle=False, **made)
        files.keep_newest(STAGE, MOST)
    except OSError as error:
        if not (trouble := trouble_of(error)):
            raise
        tell(f"{trouble}; the boxes are not kept for other layers")
    return made
