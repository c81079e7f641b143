import os
import sqlite3

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext

from brook.store import Store, StoreError
from brook.store.tables import Base
from tests.core.studies import tray


@pytest.fixture
def store(tmp_path):
    store = Store(tmp_path)
    yield store
    store.close()


def test_migrations_make_just_the_tables_of_the_code(store):
    with store.engine.connect() as connection:
        context = MigrationContext.configure(connection)
        differences = [d for d in compare_metadata(context, Base.metadata) if "alembic_version" not in str(d)]
    assert differences == []


def test_studies_survive_closing(tmp_path):
    store = Store(tmp_path)
    slug = store.add_study(tray(), "new")
    assert store.add_study(tray(), "again") != slug
    store.close()
    again = Store(tmp_path)
    assert again.study(slug) == tray()
    again.remove_study(slug)
    with pytest.raises(StoreError):
        again.study(slug)
    again.close()


def test_two_changes_of_one_revision_do_not_overwrite_each_other(store):
    slug = store.add_study(tray(), "new")
    first = tray(title="First")
    assert store.change_study(slug, first, "one", changes=1)
    assert not store.change_study(slug, tray(title="Second"), "two", changes=1)
    assert store.study(slug) == first


def test_every_change_is_kept_as_a_revision(store, tmp_path):
    slug = store.add_study(tray(), "new")
    store.change_study(slug, tray(title="Second"), "renamed", changes=1)
    rows = (
        sqlite3.connect(tmp_path / "brook.db").execute("select number, what from revisions order by number").fetchall()
    )
    assert rows == [(1, "new"), (2, "renamed")]


def test_a_result_folder_appears_whole_or_not_at_all(store):
    def fail():
        with store.files.making("run", "abc") as folder:
            (folder / "half").write_text("x")
            raise RuntimeError

    with pytest.raises(RuntimeError):
        fail()
    assert not store.files.has("run", "abc")
    assert not list(store.files.root.rglob("half"))
    with store.files.making("run", "abc") as folder:
        (folder / "whole").write_text("x")
    assert (store.files.folder("run", "abc") / "whole").read_text() == "x"


def test_of_what_can_be_made_again_the_newest_stay(store):
    for k in range(4):
        with store.files.making("boxes", f"k{k}") as folder:
            (folder / "arrays").write_bytes(bytes(1000))
        os.utime(store.files.folder("boxes", f"k{k}"), (k, k))
    os.utime(store.files.folder("boxes", "k0"), (9, 9))
    store.files.keep_newest("boxes", 2500)
    assert sorted(p.name for p in (store.files.root / "boxes").iterdir()) == ["k0", "k3"]


def test_the_newest_result_is_known_with_its_key(store):
    slug = store.add_study(tray(), "new")
    study_id = store.study_row(slug).id
    store.keep_result(study_id, "plain", "mesh", "k1", {"cells": 1})
    store.keep_result(study_id, "plain", "mesh", "k2", {"cells": 2})
    assert store.latest(study_id) == {("plain", "mesh"): ("k2", {"cells": 2})}
    assert store.result("k1") == {"cells": 1}
