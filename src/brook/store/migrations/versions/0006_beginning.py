"""Runs that begin with the fields of another one."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("runs", sa.Column("begin_with", sa.String(40), nullable=False, server_default=""))


def downgrade() -> None:
    op.drop_column("runs", "begin_with")
