"""Undo: who made a revision and from which; steps through the history."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("studies", sa.Column("changes", sa.Integer, nullable=False, server_default="1"))
    op.add_column("revisions", sa.Column("who", sa.String(60), nullable=False, server_default=""))
    op.add_column("revisions", sa.Column("parent", sa.Integer))
    op.add_column("revisions", sa.Column("onward", sa.Integer))
    op.create_table(
        "steps",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("study_id", sa.Integer, sa.ForeignKey("studies.id", ondelete="CASCADE"), nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("what", sa.String(240), nullable=False),
        sa.Column("who", sa.String(60), nullable=False),
        sa.Column("window", sa.String(40), nullable=False),
        sa.Column("at", sa.DateTime, nullable=False),
        sa.UniqueConstraint("study_id", "number"),
    )
    # until now revisions were one line without branches
    op.execute("UPDATE studies SET changes = revision")
    op.execute("UPDATE revisions SET parent = number - 1 WHERE number > 1")
    op.execute(
        "UPDATE revisions SET onward = number + 1 WHERE number < "
        "(SELECT revision FROM studies WHERE studies.id = revisions.study_id)"
    )
    op.execute(
        "INSERT INTO steps (study_id, number, revision, what, who, window, at) "
        "SELECT study_id, number, number, what, '', '', at FROM revisions"
    )


def downgrade() -> None:
    op.drop_table("steps")
    for table, column in (
        ("revisions", "onward"),
        ("revisions", "parent"),
        ("revisions", "who"),
        ("studies", "changes"),
    ):
        op.drop_column(table, column)
