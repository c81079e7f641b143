"""Compiled scanning of text: words, and numbers quickly and exactly."""

from __future__ import annotations

import numpy as np

from brook.core.compiling.kernel import kernel

SPACE, NEWLINE = 32, 10
SOLID, VERTEX, END, FACET, OUTER, END_SOLID = (
    np.frombuffer(word, np.uint8) for word in (b"solid", b"vertex", b"endfacet", b"facet", b"outer", b"endsolid")
)
V_WORD, F_WORD, G_WORD, O_WORD, USE_WORD = (
    np.frombuffer(word, np.uint8) for word in (b"v", b"f", b"g", b"o", b"usemtl")
)
EXACT = 2**53  # whole numbers below this and powers of ten up to 22 give correctly rounded quotients


@kernel(inline="always")
def is_blank(byte):
    """Whether a byte is a blank."""
    return byte <= SPACE


@kernel(inline="always")
def digit(byte):
    """What a byte from 0 to 9 says; as wide a number as sums of them need, also where this runs as plain Python."""
    return np.int64(byte) - 48


@kernel
def skip_blank(data, at):
    """The next place that is not blank."""
    while at < len(data) and is_blank(data[at]):
        at += 1
    return at


@kernel
def skip_word(data, at):
    """The end of the word that begins here."""
    while at < len(data) and not is_blank(data[at]):
        at += 1
    return at


@kernel
def skip_line(data, at):
    """The start of the next line."""
    while at < len(data) and data[at] != NEWLINE:
        at += 1
    return at + 1


@kernel
def is_word(data, at, word):
    """Whether a word stands here, in small letters or large ones, and ends with it."""
    if at + len(word) > len(data):
        return False
    for k in range(len(word)):
        byte = data[at + k]
        if 65 <= byte <= 90:
            byte += 32
        if byte != word[k]:
            return False
    return at + len(word) == len(data) or is_blank(data[at + len(word)])


@kernel
def number_at(data, at):
    """(value, end, state) of the decimal number here: state 0 exact, 1 needs the slow way, 2 no number."""
    start = at
    sign = 1.0
    if at < len(data) and (data[at] == 45 or data[at] == 43):
        if data[at] == 45:
            sign = -1.0
        at += 1
    whole, digits, shift, seen, dot, long = 0, 0, 0, False, False, False
    while at < len(data):
        byte = data[at]
        if 48 <= byte <= 57:
            seen = True
            if digits < 18:
                whole = whole * 10 + digit(byte)
                if whole > 0:
                    digits += 1
                if dot:
                    shift -= 1
            else:
                long = True
        elif byte == 46 and not dot:
            dot = True
        else:
            break
        at += 1
    if not seen:
        return 0.0, start, 2
    if at < len(data) and (data[at] == 101 or data[at] == 69):
        at += 1
        down = False
        if at < len(data) and (data[at] == 45 or data[at] == 43):
            down = data[at] == 45
            at += 1
        power, any_digit = 0, False
        while at < len(data) and 48 <= data[at] <= 57:
            power = min(9999, power * 10 + digit(data[at]))
            any_digit = True
            at += 1
        if not any_digit:
            return 0.0, start, 2
        shift += -power if down else power
    if at < len(data) and not is_blank(data[at]):
        return 0.0, start, 2
    if long or whole > EXACT or shift < -22 or shift > 22:
        return 0.0, at, 1
    scale = 1.0
    for _ in range(abs(shift)):
        scale *= 10.0
    value = whole / scale if shift < 0 else whole * scale
    return sign * value, at, 0


@kernel
def scan_stl(data, corners, solid, slow, names):
    """Fills corners (n, 3) and the solid of each; (corners, slow numbers, solids, place of an error or -1)."""
    at, found, late, solids, facets = 0, 0, 0, 0, 0
    while True:
        at = skip_blank(data, at)
        if at >= len(data):
            break
        if is_word(data, at, VERTEX):
            at = skip_word(data, at)
            if found >= len(corners):
                return found, late, solids, at
            for k in range(3):
                at = skip_blank(data, at)
                value, end, state = number_at(data, at)
                if state != 0:
                    if late >= len(slow):
                        return found, late, solids, at
                    slow[late, 0], slow[late, 1] = at, 3 * found + k
                    late += 1
                    end = skip_word(data, at)
                    if end == at:
                        return found, late, solids, at
                corners[found, k] = value
                at = end
            solid[found] = max(0, solids - 1)
            found += 1
            continue
        if is_word(data, at, SOLID):
            if solids >= len(names):
                return found, late, solids, at
            names[solids] = skip_word(data, at)
            solids += 1
            at = skip_line(data, at)
            continue
        if is_word(data, at, END):
            facets += 1
            if found != 3 * facets:
                return found, late, solids, at
        elif is_word(data, at, FACET) or is_word(data, at, OUTER) or is_word(data, at, END_SOLID):
            at = skip_line(data, at)
            continue
        at = skip_word(data, at)
    return found, late, solids, -1


@kernel
def scan_obj(data, points, slow, triangles, group, names):
    """Fills all; (points, slow numbers, triangles, names, place of an error or -1)."""
    at, count, late, made, named = 0, 0, 0, 0, 0
    while True:
        at = skip_blank(data, at)
        if at >= len(data):
            return count, late, made, named, -1
        if is_word(data, at, V_WORD):
            at += 1
            for k in range(3):
                at = skip_blank(data, at)
                value, end, state = number_at(data, at)
                if state != 0:
                    slow[late, 0], slow[late, 1] = at, 3 * count + k
                    late += 1
                    end = skip_word(data, at)
                points[count, k] = value
                at = end
            count += 1
        elif is_word(data, at, F_WORD):
            begun = at
            at += 1
            corners = 0
            first, last = 0, 0
            while at < len(data) and data[at] != NEWLINE:
                if data[at] == 32 or data[at] == 9 or data[at] == 13:
                    at += 1
                    continue
                negative = data[at] == 45
                if negative:
                    at += 1
                number, any_digit = 0, False
                while at < len(data) and 48 <= data[at] <= 57:
                    number = number * 10 + digit(data[at])
                    any_digit = True
                    at += 1
                if not any_digit or number == 0 or number > 1 << 40:
                    return count, late, made, named, begun
                at = skip_word(data, at)  # texture and normal numbers
                point = count - number if negative else number - 1
                if corners == 0:
                    first = point
                elif corners > 1:
                    if made >= len(triangles):
                        return count, late, made, named, begun
                    triangles[made, 0], triangles[made, 1], triangles[made, 2] = first, last, point
                    group[made] = named
                    made += 1
                last = point
                corners += 1
            if corners < 3:
                return count, late, made, named, begun
            continue
        elif is_word(data, at, G_WORD) or is_word(data, at, O_WORD) or is_word(data, at, USE_WORD):
            if named >= len(names):
                return count, late, made, named, at
            names[named] = at
            named += 1
        at = skip_line(data, at)
