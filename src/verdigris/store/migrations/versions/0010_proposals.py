"""What was measured of how a surface sits; and media that were made here, which nobody brought in."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add table and column."""
    op.add_column("media", sa.Column("derived", sa.Boolean, nullable=False, server_default=sa.false()))
    op.alter_column("media", "derived", server_default=None)
    op.create_table(
        "proposals",
        sa.Column("shot_id", sa.Uuid, sa.ForeignKey("shots.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("surface", sa.Text, primary_key=True),
        sa.Column("key", sa.String(32), nullable=False),
        sa.Column("found", JSONB, nullable=False),
        sa.Column("created", TIMESTAMP(timezone=True), server_default=sa.func.clock_timestamp(), nullable=False),
    )


def downgrade() -> None:
    """Remove them."""
    op.drop_table("proposals")
    op.drop_column("media", "derived")
