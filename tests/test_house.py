"""What holds in the whole house."""

from __future__ import annotations

import ast
from pathlib import Path

SOURCE = Path(__file__).parent.parent / "src" / "brook"
LONGEST = 60  # lines


def test_no_function_is_longer_than_one_can_see_at_once():
    long = [
        f"{path.relative_to(SOURCE)}: {node.name}, {node.end_lineno - node.lineno + 1} lines"
        for path in SOURCE.rglob("*.py")
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef)
        and node.end_lineno is not None
        and node.end_lineno - node.lineno >= LONGEST
    ]
    assert long == []
