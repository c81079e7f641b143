"""Kinds of files for tables and curves, one file each; a new one is a new file and a line here."""

from brook.core.results.exports import csv, drawn, xlsx
from brook.core.results.exports.base import Column, Curve, Format, Sheet

FORMATS: dict[str, Format] = {f.suffix: f for f in (csv.FORMAT, xlsx.FORMAT, drawn.SVG, drawn.PNG, drawn.PDF)}

__all__ = ["FORMATS", "Column", "Curve", "Format", "Sheet"]
