"""Movies that pages ask for: whatever ends one is told."""

import json

from brook.runs.films import Films


def test_a_movie_that_a_server_left_behind_does_not_wait_for_ever(tmp_path):
    films = Films(tmp_path)
    films.folder.mkdir()
    (films.folder / "0123456789abcdef.json").write_text(json.dumps({"state": "working", "words": "10 of 100"}))
    told = films.told("0123456789abcdef")
    assert told["state"] == "failed"
    assert "the server ended before it was made" in told["words"]
    assert films.told("../../etc/passwd") is None
    films.close()


def test_what_ends_a_movie_unexpectedly_is_told(tmp_path, monkeypatch):
    films = Films(tmp_path)

    def lost(question, *arguments):
        raise RuntimeError("no such codec")

    monkeypatch.setattr(films._process, "ask", lost)
    name = films.begin("tray", "wake", "plain", "time", 10, ".webm")
    films._thread.shutdown(wait=True)
    assert films.told(name) == {"state": "failed", "words": "RuntimeError: no such codec"}
    assert films.path(name) is None
