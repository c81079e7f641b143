"""Studies in Python: the guide is true, and what cannot run says why."""

import doctest
import json
from importlib.resources import files
from pathlib import Path

import pytest

import brook
from tests.core.studies import tray

GUIDE = Path(__file__).parents[2] / "docs/guides/python.md"


@pytest.mark.slow
def test_the_guide_is_true(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "tray.json").write_text((files("brook.demo") / "incubation_tray.json").read_text())
    failed, tried = doctest.testfile(str(GUIDE), module_relative=False, optionflags=doctest.ELLIPSIS)
    assert tried > 20
    assert failed == 0
    assert (tmp_path / "speed.png").read_bytes()[:4] == b"\x89PNG"


@pytest.mark.slow
def test_the_notebook_runs(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    (tmp_path / "tray.json").write_text((files("brook.demo") / "incubation_tray.json").read_text())
    names = {}
    for cell in json.loads((GUIDE.parent / "tray.ipynb").read_text())["cells"]:
        if cell["cell_type"] == "code":
            exec("".join(cell["source"]), names)
    assert names["still"][0] != names["still"][-1]
    assert (tmp_path / "heights.png").exists()


def test_what_cannot_run_says_why_and_where():
    study = brook.Study(tray(mesh_plan={"bulk": "3"}))
    case = study.case(study.cases[0])
    assert case.problems
    with pytest.raises(brook.CannotRun, match="/mesh_plan/bulk"):
        case.run()
    with pytest.raises(KeyError, match="did you mean"):
        study.case(study.cases[0] + "x")
    with pytest.raises(ValueError, match="/named_values/nothing"):
        study.with_values(nothing="3 mm")
    with pytest.raises(AttributeError, match="nothing"):
        _ = brook.nothing
