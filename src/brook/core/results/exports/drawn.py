"""Figures of curves for reports, as vectors (SVG, PDF) and as pictures (PNG)."""

from __future__ import annotations

from io import BytesIO
from typing import Any

from brook.core.results.exports.base import Format, Sheet, printable

NO_DATE: dict[str, dict[str, Any]] = {"svg": {"Date": None}, "pdf": {"CreationDate": None}}
INK, GRID = "#1e2a2e", "#e0dccf"
COLOURS = ("#0f6e74", "#b4532a", "#7a5195", "#5b7f3a", "#3b6ea5", "#a8791a", "#8a5a44", "#a3497e", "#4f6a3d", "#59636b")


def plain(text: str) -> str:
    """Text that is drawn as it stands: no control characters, no formulas of the drawing library."""
    return printable(text).replace("$", r"\$")


def _figure(sheets: list[Sheet]) -> Any:
    """One sheet under the other."""
    from matplotlib.figure import Figure

    figure = Figure(figsize=(7.2, 1.2 + 3.0 * len(sheets)), layout="constrained")
    for row, sheet in enumerate(sheets):
        _draw(figure.add_subplot(len(sheets), 1, row + 1), sheet)
    note = " ".join(sheet.note for sheet in sheets if sheet.note)
    if note:
        figure.text(0.01, -0.02, note, fontsize=8, color=INK, va="top", wrap=True)
    return figure


def _draw(axes: Any, sheet: Sheet) -> None:
    beside: Any = axes.twinx() if any(c.right for c in sheet.curves) else None
    handles = []
    for number, curve in enumerate(sheet.curves):
        colour = COLOURS[number % len(COLOURS)]
        mark: dict[str, Any] = {"linewidth": 1.6, "linestyle": (0, (5, 2)) if curve.right else "-"}
        if curve.points:
            mark = {"linestyle": "", "marker": "o", "markerfacecolor": "white", "markersize": 5}
        on = beside if curve.right else axes
        handles += on.plot(curve.x, curve.y, color=colour, label=plain(curve.title), **mark)
    axes.set_title(plain(sheet.title), loc="left", color=INK, fontsize=11)
    axes.set_xlabel(plain(sheet.x_title), color=INK)
    axes.set_ylabel(plain(sheet.y_title), color=INK)
    if sheet.logarithmic:
        axes.set_yscale("log")
    if sheet.x_range:
        axes.set_xlim(*sheet.x_range)
    if sheet.y_range:
        axes.set_ylim(*sheet.y_range)
    axes.grid(color=GRID)
    axes.set_axisbelow(True)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    if beside is not None:
        beside.set_ylabel(plain(sheet.right_title), color=INK)
        beside.spines["top"].set_visible(False)
        if sheet.right_range:
            beside.set_ylim(*sheet.right_range)
    if len(handles) > 1:
        axes.legend(handles=handles, frameon=False, fontsize=9)


def _write(sheets: list[Sheet], kind: str) -> bytes:
    import matplotlib

    data = BytesIO()
    with matplotlib.rc_context(
        {"svg.fonttype": "none", "font.family": "sans-serif", "svg.hashsalt": "brook", "pdf.fonttype": 42}
    ):
        _figure(sheets).savefig(data, format=kind, dpi=160, bbox_inches="tight", metadata=NO_DATE.get(kind))  # fmt: skip
    return data.getvalue()


SVG = Format("svg", "SVG", "image/svg+xml", lambda sheets: _write(sheets, "svg"), draws=True)
PNG = Format("png", "PNG", "image/png", lambda sheets: _write(sheets, "png"), draws=True)
PDF = Format("pdf", "PDF", "application/pdf", lambda sheets: _write(sheets, "pdf"), draws=True)
