"""Processes beside the server that answer questions."""

import time

import pytest

from brook.runs.side_process import SideProcess, SideProcessError


def slow_to_load():
    time.sleep(2.0)
    return True


def thinking(seconds):
    time.sleep(seconds)
    return "done"


def test_the_time_that_a_process_takes_to_load_is_not_that_of_the_question():
    """The first document sent to a server that had just begun was given up, on a busy machine."""
    process = SideProcess(seconds=1.5, warm=slow_to_load)
    try:
        assert process.ask(thinking, 0.0) == "done"
        with pytest.raises(SideProcessError, match="longer than 1 s"):
            process.ask(thinking, 30.0, seconds=1.0)
        assert process.ask(thinking, 0.0) == "done"
    finally:
        process.close()
