"""The statements of a page as plain sentences: what stands in its fields, between the words around them, with the heading that they stand under."""

from __future__ import annotations

import re
from html.parser import HTMLParser

EMPTY = {
    "input",
    "br",
    "img",
    "hr",
    "meta",
    "link",
    "polyline",
    "path",
    "line",
    "circle",
    "rect",
    "use",
}  # without an end
PASSED = {"button", "script", "svg", "textarea", "figure", "datalist"}  # with all that is in them
PASSED_CLASSES = {"why", "margin-note", "add", "sides", "error"}


class _Reader(HTMLParser):
    """Collects the text of elements of class `statement`."""

    def __init__(self) -> None:
        super().__init__()
        self.found: list[str] = []
        self._inside: list[str] = []  # elements from the statement on
        self._heading: list[str] | None = None  # words of one that is being read
        self._under = ""  # the last one, of which nothing was said yet
        self._passed = 0  # depth at which something is passed over
        self._text: list[str] = []
        self._select: list[str] | None = None
        self._chosen, self._take = "", False

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        """Begins a statement, goes deeper into one, or takes what stands in a field of it."""
        said = dict(attrs)
        classes = set((said.get("class") or "").split())
        if not self._inside and tag in ("h3", "small"):
            self._heading = [] if tag == "h3" else None
        if not self._inside and not (tag not in EMPTY and "statement" in classes):
            return
        if tag in EMPTY:
            if (
                tag == "input"
                and not self._passed
                and said.get("type") not in ("hidden", "checkbox", "radio", "search")
            ):
                self._text.append(f" {said.get('value') or said.get('placeholder') or ''} ")
            return
        self._inside.append(tag)
        if not self._passed and (tag in PASSED or classes & PASSED_CLASSES or "hidden" in said):
            self._passed = len(self._inside)
        if tag == "select":
            self._select, self._chosen = [], ""
        if tag == "option" and self._select is not None:
            self._take = "selected" in said or not self._select
            self._select.append("")

    def handle_endtag(self, tag: str) -> None:
        """Leaves an element; with the statement itself its text is kept."""
        if tag == "h3" and self._heading:
            self._heading = None
        if not self._inside and tag in ("section", "ul"):
            self._under = ""  # what follows stands under it no more
        if not self._inside or tag in EMPTY:
            return
        if tag == "select":
            if not self._passed:
                self._text.append(f" {self._chosen} ")
            self._select = None
        if self._passed == len(self._inside):
            self._passed = 0
        self._inside.pop()
        if not self._inside:
            text = re.sub(r"\s+([,.;:)])", r"\1", re.sub(r"\s+", " ", "".join(self._text))).replace("( ", "(").strip()
            if text:
                self.found.append(f"{self._under}: {text[:1].lower()}{text[1:]}" if self._under else text)
                self._under = ""
            self._text = []

    def handle_data(self, data: str) -> None:
        if self._select is not None:
            if self._take and data.strip():
                self._chosen, self._take = data.strip(), False
        elif self._inside and not self._passed:
            self._text.append(data)
        elif self._heading is not None and not self._inside and data.strip():
            self._heading.append(data)
            self._under = " ".join(self._heading).strip()


def statements_in(html: str) -> list[str]:
    """The sentences of a page."""
    reader = _Reader()
    reader.feed(html)
    return reader.found
