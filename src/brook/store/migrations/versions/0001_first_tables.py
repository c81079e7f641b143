"""Studies, revisions, runs, results."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "studies",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("slug", sa.String(80), nullable=False, unique=True),
        sa.Column("document", sa.Text, nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("changed", sa.DateTime, nullable=False),
    )
    op.create_table(
        "revisions",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("study_id", sa.Integer, sa.ForeignKey("studies.id", ondelete="CASCADE"), nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("what", sa.String(200), nullable=False),
        sa.Column("document", sa.Text, nullable=False),
        sa.Column("at", sa.DateTime, nullable=False),
        sa.UniqueConstraint("study_id", "number"),
    )
    op.create_table(
        "runs",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("study_id", sa.Integer, sa.ForeignKey("studies.id", ondelete="CASCADE"), nullable=False),
        sa.Column("variant", sa.String(60), nullable=False),
        sa.Column("document", sa.Text, nullable=False),
        sa.Column("until", sa.String(20), nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("message", sa.Text, nullable=False),
        sa.Column("iterations", sa.Integer, nullable=False),
        sa.Column("queued", sa.DateTime, nullable=False),
        sa.Column("started", sa.DateTime),
        sa.Column("ended", sa.DateTime),
    )
    op.create_index("runs_of_study", "runs", ["study_id", "variant"])
    op.create_table(
        "results",
        sa.Column("key", sa.String(40), primary_key=True),
        sa.Column("stage", sa.String(20), nullable=False),
        sa.Column("summary", sa.JSON, nullable=False),
        sa.Column("at", sa.DateTime, nullable=False),
    )
    op.create_table(
        "latest",
        sa.Column("study_id", sa.Integer, sa.ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("variant", sa.String(60), primary_key=True),
        sa.Column("stage", sa.String(60), primary_key=True),
        sa.Column("key", sa.String(40), nullable=False),
    )


def downgrade() -> None:
    for table in ("latest", "results", "runs", "revisions", "studies"):
        op.drop_table(table)
