"""Fetches the front-end files from npm into src/brook/web/static/vendor, with versions and licences.

What only tests use goes to tests/web/vendor.
"""

from __future__ import annotations

import json
import shutil
import subprocess
import tempfile
from pathlib import Path

ROOT = Path(__file__).parent.parent
VENDOR = ROOT / "src/brook/web/static/vendor"
FOR_TESTS = ROOT / "tests/web/vendor"
# package, version, folder, files
PACKAGES = [
    ("bulma", "1.0.4", "bulma", ["css/bulma.min.css", "LICENSE"]),
    ("htmx.org", "2.0.11", "htmx", ["dist/htmx.min.js", "LICENSE"]),
    ("uplot", "1.6.32", "uplot", ["dist/uPlot.esm.js", "dist/uPlot.min.css", "LICENSE"]),
    ("three", "0.184.0", "three", ["build/three.module.min.js", "build/three.core.min.js", "LICENSE"]),
    (
        "@fontsource/ibm-plex-sans", "5.3.0", "plex",
        [f"files/ibm-plex-sans-latin-{w}-normal.woff2" for w in (400, 500, 600)]
        + ["files/ibm-plex-sans-latin-400-italic.woff2", "LICENSE"],
    ),
    ("@fontsource/ibm-plex-mono", "5.3.0", "plex", ["files/ibm-plex-mono-latin-400-normal.woff2"]),
]  # fmt: skip

TEST_PACKAGES = [("axe-core", "4.14.1", "axe-core", ["axe.min.js", "LICENSE"])]


def main() -> None:
    notes = ["# Front-end files", "", "Taken from npm by `make vendor`; served by Brook itself.", ""]
    with tempfile.TemporaryDirectory() as work:
        subprocess.run(["npm", "init", "-y"], cwd=work, check=True, capture_output=True)
        wanted = [f"{name}@{version}" for name, version, _, _ in (*PACKAGES, *TEST_PACKAGES)]
        subprocess.run(["npm", "install", "--silent", "--ignore-scripts", *wanted], cwd=work, check=True)
        for name, version, folder, files in PACKAGES:
            source = Path(work) / "node_modules" / name
            licence = json.loads((source / "package.json").read_text())["license"]
            (VENDOR / folder).mkdir(parents=True, exist_ok=True)
            for file in files:
                shutil.copy(source / file, VENDOR / folder / Path(file).name)
            notes.append(f"- `{folder}/`: {name} {version}, {licence}")
        for name, _, folder, files in TEST_PACKAGES:
            (FOR_TESTS / folder).mkdir(parents=True, exist_ok=True)
            for file in files:
                shutil.copy(Path(work) / "node_modules" / name / file, FOR_TESTS / folder / Path(file).name)
    (VENDOR / "README.md").write_text("\n".join(notes) + "\n")


if __name__ == "__main__":
    main()
