"""The frame that a frame of a take was compared with instead of the reference."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the column; frames followed before were compared with the reference."""
    op.add_column("take_frames", sa.Column("through", sa.Integer))


def downgrade() -> None:
    """Remove it."""
    op.drop_column("take_frames", "through")
