"""Questions about results go to the processes that have them."""

import os

from brook.runs.readers import Readers
from brook.runs.readout import Source
from brook.runs.sheets import Shown


def who(*arguments):
    return os.getpid()


def of(run: str) -> Source:
    return Source("", "", run, "", "")


def test_a_result_stays_with_one_process_and_others_need_not_wait_for_it():
    readers = Readers()
    try:
        runs = [of(f"{k:020x}") for k in range(12)]
        first = {run: readers.ask(who, run, "speed") for run in runs}
        assert len(set(first.values())) == 2
        for run in runs:  # however it is asked for
            assert readers.ask(who, run) == first[run]
            assert readers.ask(who, [Shown(run, "title")], None) == first[run]
        # two at once: the first one has it
        assert readers.ask(who, runs[0], runs[1], "speed") == first[runs[0]]
        assert readers.which(("root", "key", 1)) == readers.which(("root", "key", 2))
    finally:
        readers.close()
