"""Writes the lock files: the exact versions of what the environment holds now.

requirements.lock is what Brook needs to run, requirements-dev.lock what its tests and checks need besides.
"""

from __future__ import annotations

import re
from importlib.metadata import PackageNotFoundError, distribution
from pathlib import Path

ROOT = Path(__file__).parent.parent
SKIP = {"brook", "pip"}
HEAD = "# Made by `make lock`; do not edit.\n"


def name_of(requirement: str) -> str:
    return re.split(r"[ <>=!~;\[(]", requirement, maxsplit=1)[0].lower().replace("_", "-").replace(".", "-")


def closure(names: set[str]) -> dict[str, str]:
    """Installed versions of these packages and of all they need."""
    found: dict[str, str] = {}
    waiting = list(names)
    while waiting:
        name = waiting.pop()
        if name in found or name in SKIP:
            continue
        try:
            package = distribution(name)
        except PackageNotFoundError:
            continue  # needed elsewhere only: another system, an extra
        found[name] = package.version
        waiting += [name_of(r) for r in package.requires or () if "extra ==" not in r]
    return found


def main() -> None:
    wants = distribution("brook").requires or []
    runtime = closure({name_of(r) for r in wants if "extra ==" not in r} | {"setuptools"})
    dev = closure({name_of(r) for r in wants if "extra ==" in r})
    for file, packages in (("requirements.lock", runtime), ("requirements-dev.lock", dev)):
        lines = [
            f"{n}=={v}" for n, v in sorted(packages.items()) if file != "requirements-dev.lock" or n not in runtime
        ]
        (ROOT / file).write_text(HEAD + "\n".join(lines) + "\n")


if __name__ == "__main__":
    main()
