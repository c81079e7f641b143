"""Which studies a result was made for, so that it goes with the last of them."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "made",
        sa.Column("study_id", sa.Integer, sa.ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("key", sa.String(40), primary_key=True),
    )
    op.execute("INSERT OR IGNORE INTO made (study_id, key) SELECT study_id, key FROM latest")


def downgrade() -> None:
    op.drop_table("made")
