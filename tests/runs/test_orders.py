"""What pages order: whatever ends it is told."""

import json
import os

from brook.runs.orders import FieldsOrder, MovieOrder, Orders


def test_what_a_server_left_behind_does_not_wait_for_ever(tmp_path):
    orders = Orders(tmp_path)
    orders.folder.mkdir()
    (orders.folder / "0123456789abcdef.json").write_text(
        json.dumps({"state": "working", "words": "10 of 100", "of": "movie"})
    )
    told = orders.told("0123456789abcdef")
    assert told["state"] == "failed"
    assert "the server ended before it was made" in told["words"]
    assert orders.told("../../etc/passwd") is None
    orders.close()


def test_what_ends_one_unexpectedly_is_told(tmp_path, monkeypatch):
    orders = Orders(tmp_path)

    def lost(question, *arguments):
        raise RuntimeError("no such codec")

    monkeypatch.setattr(orders._process, "ask", lost)
    name = orders.begin(MovieOrder("tray", "wake", "plain", "time", 10, ".webm"))
    orders._thread.shutdown(wait=True)
    assert orders.told(name) == {"state": "failed", "words": "RuntimeError: no such codec", "of": "movie"}
    assert orders.path(name) is None


def test_several_vtu_are_packed_into_one_file():
    assert FieldsOrder("tray", "plain", "vtu", through_time=True).suffix == ".zip"
    assert FieldsOrder("tray", "plain", "vtkhdf", through_time=True).suffix == ".vtkhdf"


def test_old_ones_go_when_there_is_much_of_them(tmp_path, monkeypatch):
    """The newest stays however large it is, and what is under way."""
    orders = Orders(tmp_path)
    orders.folder.mkdir()
    monkeypatch.setattr("brook.runs.orders.MOST_BYTES", 2500)
    for k in range(4):
        name = f"{k:016x}"
        (orders.folder / f"{name}.json").write_text("{}")
        (orders.folder / f"{name}.vtu").write_bytes(b"x" * 1000)
        for path in orders.folder.glob(f"{name}.*"):
            os.utime(path, (1000 + k, 1000 + k))
    orders._here.add(f"{0:016x}")
    orders._tidy()
    assert sorted(p.stem for p in orders.folder.glob("*.vtu")) == [f"{k:016x}" for k in (0, 2, 3)]
    orders.close()
