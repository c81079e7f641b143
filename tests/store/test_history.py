"""Undo and redo in the store: what a person who steps back and forth may rely on."""

import threading

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brook.store import Author, Meanwhile, Store, StoreError
from tests.core.studies import tray

ME, YOU = Author("Ada", "window-a"), Author("Ben", "window-b")


@pytest.fixture
def store(tmp_path):
    store = Store(tmp_path)
    yield store
    store.close()


@pytest.fixture
def slug(store):
    return store.add_study(tray(title="First"), "new study", ME)


def change(store, slug, title, author=ME):
    assert store.change_study(slug, tray(title=title), f"title {title}", store.study_row(slug).changes, author)


def test_undo_and_redo_go_back_and_forth(store, slug):
    change(store, slug, "Second")
    change(store, slug, "Third")
    assert store.undo(slug, ME) == "title Third"
    assert store.undo(slug, ME) == "title Second"
    assert store.study(slug).title == "First"
    assert store.undo(slug, ME) is None
    assert store.neighbours(store.study_row(slug)) == (None, "title Second")
    assert [store.redo(slug), store.redo(slug), store.redo(slug)] == ["title Second", "title Third", None]
    assert store.study(slug).title == "Third"


def test_it_survives_a_restart(store, slug, tmp_path):
    change(store, slug, "Second")
    store.undo(slug, ME)
    store.close()
    again = Store(tmp_path)
    assert again.study(slug).title == "First"
    assert again.redo(slug) == "title Second"
    assert again.study(slug).title == "Second"
    again.close()


def test_a_change_after_undoing_loses_nothing(store, slug):
    change(store, slug, "Second")
    store.undo(slug, ME)
    change(store, slug, "Other")
    assert store.redo(slug) is None
    assert store.line_of(store.study_row(slug)) == {1, 3}
    assert store.go_back(slug, 2) == "title Second"
    assert store.study(slug).title == "Second"
    # back and forth now follows the branch that was gone to
    store.undo(slug, ME)
    store.redo(slug)
    assert store.study(slug).title == "Second"
    with pytest.raises(StoreError, match="no step 9"):
        store.go_back(slug, 9)


@settings(max_examples=25, deadline=None)
@given(st.lists(st.sampled_from(["change", "undo", "redo", "go"]), max_size=14), st.randoms())
def test_any_walk_through_the_history_ends_at_a_state_that_once_was(tmp_path_factory, walk, random):
    """Undo followed by redo is no change, and every revision stays as it was made."""
    store = Store(tmp_path_factory.mktemp("walk"))
    slug = store.add_study(tray(title="T0"), "new")
    made = {1: "T0"}
    for k, step in enumerate(walk, 1):
        if step == "change":
            change(store, slug, f"T{k}")
            made[store.study_row(slug).revision] = f"T{k}"
        elif step == "go":
            store.go_back(slug, random.choice(list(made)))
        elif getattr(store, step)(slug, ME) and step == "undo":
            before = store.study_row(slug).revision
            assert store.redo(slug)
            assert store.undo(slug, ME)
            assert store.study_row(slug).revision == before
        row = store.study_row(slug)
        assert store.study(slug).title == made[row.revision]
        assert row.revision in store.line_of(row)
    store.close()


def test_nobody_undoes_what_they_have_not_seen(store, slug):
    change(store, slug, "Mine")
    seen = store.study_row(slug).changes
    change(store, slug, "Yours", YOU)
    with pytest.raises(Meanwhile, match="meanwhile Ben changed this study"):
        store.undo(slug, Author("Ada", "window-a", seen))
    assert store.study(slug).title == "Yours"
    # one's own later changes are no surprise
    assert store.undo(slug, Author("Ben", "window-b", seen)) == "title Yours"


def test_steps_tell_who_and_what(store, slug):
    change(store, slug, "Second", YOU)
    store.undo(slug, Author("Ben", "window-c"))
    steps = [(s.who, s.what, s.revision) for s in store.steps(store.study_row(slug).id)]
    assert steps == [("Ben", "Undo: title Second", 1), ("Ben", "title Second", 2), ("Ada", "new study", 1)]


def test_changes_from_many_threads_are_all_kept_or_refused(store, slug):
    """Of writers that saw the same state just one wins, and none breaks the database."""
    results = []

    def write(k):
        seen = store.study_row(slug).changes
        results.append(store.change_study(slug, tray(title=f"T{k}"), f"T{k}", seen))

    threads = [threading.Thread(target=write, args=(k,)) for k in range(12)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert store.study_row(slug).changes == 1 + sum(results)
    assert len(store.revisions(store.study_row(slug).id)) == 1 + sum(results)
