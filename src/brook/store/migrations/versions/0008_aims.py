"""What a study is computed for over several runs, and what is enough for one of them."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("runs", sa.Column("enough", sa.JSON, nullable=False, server_default="{}"))
    op.create_table(
        "aims",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("study_id", sa.Integer, sa.ForeignKey("studies.id", ondelete="CASCADE"), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("said", sa.JSON, nullable=False),
        sa.Column("tried", sa.JSON, nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("words", sa.Text, nullable=False, server_default=""),
        sa.Column("begun", sa.DateTime, nullable=False),
        sa.Column("ended", sa.DateTime, nullable=True),
        sqlite_autoincrement=True,
    )
    op.create_index("aims_of_study", "aims", ["study_id"])


def downgrade() -> None:
    op.drop_index("aims_of_study", "aims")
    op.drop_table("aims")
    op.drop_column("runs", "enough")
