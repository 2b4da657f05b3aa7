"""What following found of the camera is kept with a take, and how soft and noisy each frame is with the frame."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

OF_FRAMES = ("defocus_px2", "smear_px", "noise")


def upgrade() -> None:
    """Add the columns; of takes of before nothing is known."""
    op.add_column("takes", sa.Column("camera", JSONB, nullable=True))
    for name in OF_FRAMES:
        op.add_column("take_frames", sa.Column(name, sa.Float, nullable=True))


def downgrade() -> None:
    """Remove them."""
    for name in OF_FRAMES:
        op.drop_column("take_frames", name)
    op.drop_column("takes", "camera")
