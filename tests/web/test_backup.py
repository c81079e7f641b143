"""Everything copied while it is served, and a data folder made of the copy."""

import shutil
import sqlite3

import pytest
from typer.testing import CliRunner

from brook.cli import app
from brook.store.backup import BackupRefused, backup, restore
from brook.web.studio import studio_alone
from tests.core.studies import tray
from tests.web.helpers import client, take_in, up_to_date


def quiet(_):
    return


@pytest.fixture(scope="module")
def slug(brook_server):
    with client(brook_server) as http:
        slug = take_in(http, tray(title="Backed up"))
        up_to_date(http, slug)
    return slug


@pytest.mark.server
def test_a_copy_made_while_it_is_served_has_everything(brook_app, brook_server, slug, tmp_path):
    data = brook_app.state.studio.store.data
    copy, again = tmp_path / "copy", tmp_path / "again"
    assert backup(data, copy, quiet).missing == []
    with client(brook_server) as http:  # what is changed later is not in it
        http.post(
            f"/studies/{slug}/edit", data={"page": "board", "pointer": "/title", "value": "Later", "was": "Backed up"}
        )
    assert restore(copy, again, quiet).missing == []
    with studio_alone(again) as studio:
        state = studio.state(slug)
        assert state.study.title == "Backed up"
        for v in state.variants:  # whoever computed it first: results belong to their inputs
            assert v.fresh
            assert studio.store.files.has("run", v.run.key)
            assert studio.store.files.has("mesh", v.run.summary["mesh_key"])


@pytest.mark.server
def test_what_is_missing_or_in_the_way_is_said(brook_app, slug, tmp_path):
    data = brook_app.state.studio.store.data
    copy = tmp_path / "copy"
    backup(data, copy, quiet)
    with pytest.raises(BackupRefused, match="not empty"):
        backup(data, copy, quiet)
    with pytest.raises(BackupRefused, match="keeps no studies"):
        backup(tmp_path / "nothing", tmp_path / "x", quiet)
    with pytest.raises(BackupRefused, match="no backup"):
        restore(data, tmp_path / "y", quiet)
    key = sqlite3.connect(copy / "brook.db").execute("SELECT key FROM results WHERE stage = 'run'").fetchone()[0]
    shutil.rmtree(copy / "results/run" / key)
    run = CliRunner()
    told = run.invoke(app, ["restore", str(copy), "--data", str(tmp_path / "short")])
    assert told.exit_code == 2
    assert f"run/{key}: its files are not there" in told.output
    assert run.invoke(app, ["restore", str(copy), "--data", str(tmp_path / "short")]).exit_code == 1
    (copy / "brook.db").write_bytes(b"SQLite format 3\0" + b"\xff" * 5000)
    broken = run.invoke(app, ["restore", str(copy), "--data", str(tmp_path / "broken")])
    assert broken.exit_code == 1
    assert "damaged" in broken.output
    assert not (tmp_path / "broken/brook.db").exists()
    assert run.invoke(app, ["backup", str(tmp_path / "whole"), "--data", str(data)]).exit_code == 0
