"""How far a freer surface would move the corners, kept with every frame of a take."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the column; frames followed before have none."""
    op.add_column("take_frames", sa.Column("margin_px", sa.Float))


def downgrade() -> None:
    """Remove it."""
    op.drop_column("take_frames", "margin_px")
