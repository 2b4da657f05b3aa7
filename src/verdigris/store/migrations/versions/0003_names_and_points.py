"""Takes may be named; single points are kept with every frame."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the columns; takes of before have no name, their frames no points."""
    op.add_column("takes", sa.Column("name", sa.Text, nullable=False, server_default=""))
    op.add_column("take_frames", sa.Column("points", JSONB))


def downgrade() -> None:
    """Remove them."""
    op.drop_column("take_frames", "points")
    op.drop_column("takes", "name")
