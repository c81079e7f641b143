"""The command line: the same work without a browser."""

from brook.cli import proving, studies, shapes, serving, handing, cluster, people  # noqa: I001  (commands are listed in this order)
from brook.cli.app import app

__all__ = ["app", "cluster", "handing", "people", "proving", "serving", "shapes", "studies"]
