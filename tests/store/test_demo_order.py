"""The demo's studies stand on the shelf in the order in which they are computed, and nothing waits behind the slowest."""

from brook import demo
from brook.core.study import read_study
from brook.store import Store


class Queue:
    """A studio that only remembers what it was asked to compute."""

    def __init__(self, store):
        self.store, self.asked = store, []

    def find_bands(self, slug, names, finest=0):
        self.asked.append((slug, names))
        for name in names:
            row = self.store.study_row(slug)
            self.store.add_run(row.id, name, row.document, "readings", None)
        return ""


def test_studies_are_computed_in_the_order_of_the_shelf_once(tmp_path):
    store = Store(tmp_path)
    studio = Queue(store)
    demo.load(studio)
    assert len(studio.asked) == 4  # pages are there before the rest is made
    demo.load_rest(studio)
    shelf = [(row.slug, read_study(row.document)) for row in store.studies()]
    assert [slug for slug, _ in studio.asked] == [slug for slug, _ in shelf]
    assert shelf[0][1].title == "Incubation tray"
    assert shelf[-1][1].set_up.timing.kind == "in_time"
    assert all(study.set_up.timing.kind == "steady" for _, study in shelf[:-1])
    demo.load(studio)
    demo.load_rest(studio)
    assert len(studio.asked) == len(shelf) == 6
    store.close()


def test_what_a_kill_left_out_is_made_at_the_next_start(tmp_path):
    store = Store(tmp_path)
    demo.load(Queue(store))
    studio = Queue(store)
    demo.load(studio)
    assert not studio.asked
    demo.load_rest(studio)
    assert [slug for slug, _ in studio.asked] == ["spray-header", "intake-bars"]
    store.close()
