"""Talking to a running Brook as its pages do."""

from __future__ import annotations

import re
import time

import httpx

from brook.core.study import Study, read_study, study_text


def client(address: str) -> httpx.Client:
    return httpx.Client(base_url=address, timeout=60)


def take_in(http: httpx.Client, study: Study) -> str:
    """Imports a study and gives its address."""
    answer = http.post("/import", files={"document": ("study.json", study_text(study), "application/json")})
    assert answer.status_code == 303, answer.text
    return answer.headers["location"].rsplit("/", 1)[1]


def up_to_date(http: httpx.Client, slug: str, seconds: float = 270) -> None:
    """Brings all variants up to date and waits for it."""
    http.post(f"/studies/{slug}/bring-up-to-date", data={"page": "board"})
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        page = http.get(f"/studies/{slug}").text
        if "Stop and keep" not in page:
            return
        time.sleep(0.3)
    raise AssertionError("the runs did not end in time")


def plain(html: str) -> str:
    """The words of a page, without tags."""
    return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", html))


def document(brook_server: str, slug: str) -> Study:
    """The study as it stands on the server now."""
    return read_study(httpx.get(f"{brook_server}/studies/{slug}/document.json", timeout=120).text)
