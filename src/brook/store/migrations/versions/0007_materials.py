"""Materials of one's own, kept for all studies."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "materials",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("title", sa.String(120), nullable=False, unique=True),
        sa.Column("said", sa.Text, nullable=False),
        sa.Column("who", sa.String(60), nullable=False, server_default=""),
        sa.Column("at", sa.DateTime, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("materials")
