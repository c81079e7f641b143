"""`python -m brook.cli`."""

from brook.cli import app

app()
