"""The queue of runs and what its workers do; the desk, which reads results for the pages."""

from brook.runs.desk import Desk, DeskError
from brook.runs.queue import RunQueue
from brook.runs.readout import Source
from brook.runs.task import Request

__all__ = ["Desk", "DeskError", "Request", "RunQueue", "Source"]
