"""A revision tells which movement of the hand made it: one movement is one step to undo."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the column."""
    op.add_column("revisions", sa.Column("stroke", sa.Text, nullable=True))


def downgrade() -> None:
    """Remove it."""
    op.drop_column("revisions", "stroke")
