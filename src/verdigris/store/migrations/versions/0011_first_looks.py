"""Which frames of a take have had their first look only."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the column; takes of before are through."""
    op.add_column("take_frames", sa.Column("first_look", sa.Boolean, nullable=False, server_default=sa.false()))
    op.alter_column("take_frames", "first_look", server_default=None)


def downgrade() -> None:
    """Remove it."""
    op.drop_column("take_frames", "first_look")
