"""People who sign in, their sessions and tokens, what they may do with a study, and what was done."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "people",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(60), nullable=False, unique=True),
        sa.Column("password", sa.String(200), nullable=False),
        sa.Column("administers", sa.Boolean, nullable=False, server_default="0"),
        sa.Column("created", sa.DateTime, nullable=False),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "sessions",
        sa.Column("secret", sa.String(64), primary_key=True),
        sa.Column("person_id", sa.Integer, sa.ForeignKey("people.id", ondelete="CASCADE"), nullable=False),
        sa.Column("begun", sa.DateTime, nullable=False),
        sa.Column("ends", sa.DateTime, nullable=False),
    )
    op.create_table(
        "tokens",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("secret", sa.String(64), nullable=False, unique=True),
        sa.Column("person_id", sa.Integer, sa.ForeignKey("people.id", ondelete="CASCADE"), nullable=False),
        sa.Column("title", sa.String(60), nullable=False),
        sa.Column("role", sa.String(12), nullable=False),
        sa.Column("created", sa.DateTime, nullable=False),
        sa.Column("used", sa.DateTime, nullable=True),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "shares",
        sa.Column("study_id", sa.Integer, sa.ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("person_id", sa.Integer, primary_key=True),
        sa.Column("role", sa.String(12), nullable=False),
    )
    op.create_table(
        "audit",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("at", sa.DateTime, nullable=False),
        sa.Column("who", sa.String(60), nullable=False),
        sa.Column("from_where", sa.String(60), nullable=False, server_default=""),
        sa.Column("what", sa.String(200), nullable=False),
        sa.Column("study", sa.String(80), nullable=False, server_default=""),
        sqlite_autoincrement=True,
    )


def downgrade() -> None:
    for name in ("audit", "shares", "tokens", "sessions", "people"):
        op.drop_table(name)
