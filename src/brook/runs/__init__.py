"""The queue of runs and what its workers do."""

from brook.runs.queue import RunQueue
from brook.runs.task import Request

__all__ = ["Request", "RunQueue"]
