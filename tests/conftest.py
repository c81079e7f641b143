"""A running Brook and a browser, shared by the tests that need them."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest


def pytest_configure(config: pytest.Config) -> None:
    """Where several processes test, each has one core: threads that wait for one another would take most of the time."""
    if hasattr(config, "workerinput"):
        import numba

        numba.set_num_threads(1)


@pytest.fixture(scope="session")
def brook_app(tmp_path_factory: pytest.TempPathFactory):
    """The application with its own data folder, two workers, and no demo."""
    from brook.web.server import create_app

    return create_app(tmp_path_factory.mktemp("data"), workers=2)


@pytest.fixture(scope="session")
def brook_server(brook_app) -> Iterator[str]:
    """The address of a server of this application."""
    with serving(brook_app) as address:
        yield address


@contextmanager
def serving(app) -> Iterator[str]:
    """The address of a server of an application while the block runs."""
    import uvicorn

    from brook.web.protocol import Protocol

    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    server = uvicorn.Server(
        uvicorn.Config(app, host="127.0.0.1", port=port, log_level="warning", timeout_keep_alive=75, http=Protocol)
    )
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.05)
    try:
        yield f"http://127.0.0.1:{port}"
    finally:
        server.should_exit = True
        thread.join(timeout=20)


@pytest.fixture(scope="session")
def browser(tmp_path_factory: pytest.TempPathFactory) -> Iterator:
    from tests.browser import open_browser

    driver = open_browser(tmp_path_factory.mktemp("downloads"))
    yield driver
    driver.quit()


@pytest.fixture
def downloads(browser) -> Path:
    return Path(browser.downloads)
