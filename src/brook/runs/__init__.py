"""The queue of runs and what its workers do; the result reader, which reads results for the pages."""

from brook.runs.queue import RunQueue
from brook.runs.readout import Source
from brook.runs.side_process import SideProcess, SideProcessError
from brook.runs.task import Request

__all__ = ["Request", "RunQueue", "SideProcess", "SideProcessError", "Source"]
