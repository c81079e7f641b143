"""What reading a file did to what stands in it, in words."""

from __future__ import annotations

from brook.core.geometry.files.base import patch_name
from brook.core.geometry.surface import Surface


def joined_words(surface: Surface) -> list[str]:
    """What reading did to points that were rounded differently, to triangles with one corner twice, to empty groups and to names."""
    words = []
    if surface.joined == 1:
        words.append("1 point that differed from another by rounding was made one with it")
    elif surface.joined:
        words.append(f"{surface.joined} points that differed from others by rounding were made one with them")
    if surface.repeated:
        were = "triangle with one corner twice was" if surface.repeated == 1 else "triangles with one corner twice were"
        words.append(f"{surface.repeated} {were} left out")
    if surface.empty:
        named = ", ".join(surface.empty[:4]) + (f" and {len(surface.empty) - 4} more" if len(surface.empty) > 4 else "")
        words.append(f"left out, as nothing is in them: {named}")
    if surface.called:
        said = [f"'{text}' is {name}" + _as_taken(text, name) for text, name in surface.called[:4]]
        words.append(
            "in the file "
            + ", ".join(said)
            + (f" and {len(surface.called) - 4} more" if len(surface.called) > 4 else "")
        )
    return words


def _as_taken(text: str, name: str) -> str:
    """Why a name from a file got another number: one that differs by capitals, dashes or blanks only was there before."""
    plain = patch_name(text, [])
    return f" (another is {plain})" if plain != name else ""
