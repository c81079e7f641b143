"""What a start says: the address, another port when one is taken, and which Python is wanted."""

import socket
import subprocess
import sys
from pathlib import Path

import httpx
import pytest

from brook.web.server import free_port
from tests.core.test_kernels import ROOT


def test_a_taken_port_gives_way_to_the_next():
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        assert port < free_port("127.0.0.1", port) <= port + 20


def test_when_no_port_is_free_that_is_said(monkeypatch):
    monkeypatch.setattr("brook.web.server.TRIED", 0)
    with pytest.raises(SystemExit, match="all taken"):
        free_port("127.0.0.1", 8430)


def test_ports_end_where_numbers_of_ports_do():
    assert 65535 >= free_port("127.0.0.1", 65530) >= 65530


def test_a_server_says_another_port_and_its_address_last_and_answers_there(tmp_path):
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        command = [sys.executable, "-m", "brook.cli", "serve", "--port", str(port), "--data", str(tmp_path / "data")]
        server = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, cwd=tmp_path)
        try:
            assert server.stdout is not None
            said = [server.stdout.readline().strip() for _ in range(2)]
            assert said[0].startswith(f"port {port} is taken, so this is on ")
            assert said[1].startswith("Brook is at http://127.0.0.1:")
            assert httpx.get(said[1].removeprefix("Brook is at "), timeout=20).status_code == 200
        finally:
            server.terminate()
            server.wait(timeout=30)


@pytest.mark.parametrize(
    ("python", "said"), [("echo 3.9", "is Python 3.9"), ("exit 1", "is not there")], ids=["other", "none"]
)
def test_an_installation_says_which_python_is_wanted(tmp_path, python, said):
    other = tmp_path / "python"
    other.write_text(f"#!/bin/sh\n{python}\n")
    other.chmod(0o755)
    script = Path(ROOT) / "scripts/install"
    done = subprocess.run([script, other, tmp_path / "venv"], capture_output=True, text=True)
    assert done.returncode == 1
    assert said in done.stderr
    assert "needs Python 3.11" in done.stderr
    assert "make demo PYTHON=python3.11" in done.stderr
    assert not (tmp_path / "venv").exists()
