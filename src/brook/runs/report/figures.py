"""Figures of a report as PNG, from the results that a data folder keeps."""

from __future__ import annotations

import io
import json
from typing import Any

import numpy as np

from brook.core.results.exports.drawn import INK
from brook.core.results.pictures.sheet import Size
from brook.core.study.views import Plate
from brook.runs.plates import NoPlate, draw, plate_of
from brook.runs.report.blocks import Figure
from brook.store import Store

WIDTH = 960  # pixels: small enough for words in it to be read on paper
COLOURS = ("#0f6e73", "#c8962e", "#b0492f", "#6b4c9a", "#4f7a28", "#2f6db0", "#8a8f91", "#1f2a2e")


def drawn(store: Store, slug: str, figure: Figure) -> tuple[bytes | None, tuple[str, ...]]:
    """A figure, or none, and what fell short in words."""
    if figure.kind == "residuals":
        return _residuals(store, figure)
    try:
        plate = plate_of(store, slug, figure.what)
    except NoPlate:
        plate = Plate(name="usual", title=figure.caption.partition(",")[0][:80], quantity=figure.what)
    if plate.range is None and figure.range is not None:
        plate = plate.model_copy(update={"range": figure.range})
    (made,) = draw(store, slug, plate, [figure.case], Size(WIDTH, round(WIDTH * figure.height)))
    return made.file, made.words


def _residuals(store: Store, figure: Figure) -> tuple[bytes | None, tuple[str, ...]]:
    path = store.files.folder("run", figure.key) / "history.json"
    if not path.exists():
        return None, ("the history of this run is not kept",)
    history: dict[str, Any] = json.loads(path.read_text())
    import matplotlib
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure as Sheet

    with matplotlib.rc_context({"font.family": "sans-serif", "font.size": 8, "text.color": INK, "axes.edgecolor": "#8a8f91"}):  # fmt: skip
        sheet = Sheet(figsize=(7.2, 2.3), dpi=200, layout="constrained")
        FigureCanvasAgg(sheet)
        at, beside = sheet.subplots(1, 2)
        in_time = bool(history.get("time"))
        for colour, (name, values) in zip(_colours(), history["residuals"].items(), strict=False):
            line = np.array(values, float)
            at.semilogy(np.arange(1, len(line) + 1), np.where(line > 0, line, np.nan), color=colour, lw=0.9, label=name.replace("_", " "))  # fmt: skip
        at.set_ylabel("residual")
        for colour, (name, values) in zip(_colours(), history["monitors"].items(), strict=False):
            line = np.array(values, float)
            known = line[np.isfinite(line)]
            one = np.abs(known[len(known) // 2 :]).max(initial=0.0) if in_time else known[-1] if len(known) else 0.0
            if one:
                beside.plot(history["time"] if in_time else np.arange(1, len(line) + 1), line / one, color=colour, lw=0.9, label=name.replace("_", " "))  # fmt: skip
        beside.set_ylabel("reading over its largest later on" if in_time else "reading over its last")
        beside.set_ylim(*((-1.3, 1.3) if in_time else (0.5, 1.5)))
        at.set_xlabel("step" if in_time else "iteration")
        beside.set_xlabel("time in s" if in_time else "iteration")
        for axes in (at, beside):
            axes.grid(color="#e4e1d8", lw=0.6)
            axes.spines[["top", "right"]].set_visible(False)
            if axes.lines:
                axes.legend(frameon=False, fontsize=7, ncols=2)
        out = io.BytesIO()
        sheet.savefig(out, format="png")
    return out.getvalue(), ()


def _colours() -> list[str]:
    return [COLOURS[k % len(COLOURS)] for k in range(64)]
