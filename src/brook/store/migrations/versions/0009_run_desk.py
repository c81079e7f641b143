"""The order of runs, when they may begin, and what they took of the machine."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None

COLUMNS = (
    ("place", sa.Float, None),
    ("not_before", sa.DateTime, None),
    ("cells", sa.Integer, "0"),
    ("cpu", sa.Float, "0"),
    ("memory", sa.BigInteger, "0"),
    ("machine", sa.String(60), ""),
)


def upgrade() -> None:
    for name, kind, default in COLUMNS:
        op.add_column("runs", sa.Column(name, kind, nullable=default is None, server_default=default))


def downgrade() -> None:
    for name, *_ in COLUMNS:
        op.drop_column("runs", name)
