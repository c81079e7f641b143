"""Numbers of removed studies and runs are never given out again; a run has a name in the queue that nobody can guess."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("runs", sa.Column("job", sa.String(32), nullable=False, server_default=""))
    op.execute("UPDATE runs SET job = lower(hex(randomblob(16)))")
    for table in ("studies", "runs"):
        with op.batch_alter_table(table, recreate="always", table_kwargs={"sqlite_autoincrement": True}):
            pass


def downgrade() -> None:
    for table in ("studies", "runs"):
        with op.batch_alter_table(table, recreate="always"):
            pass
    op.drop_column("runs", "job")
