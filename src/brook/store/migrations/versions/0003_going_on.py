"""Runs that go on from a checkpoint."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("runs", sa.Column("start_from", sa.Integer))
    op.add_column("runs", sa.Column("interruptions", sa.Integer, nullable=False, server_default="0"))


def downgrade() -> None:
    op.drop_column("runs", "interruptions")
    op.drop_column("runs", "start_from")
