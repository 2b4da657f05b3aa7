"""Takes that came in with smoothing, held and carried frames in them are told from those that were followed here."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the column; takes of before were followed here."""
    op.add_column("takes", sa.Column("mended", sa.Boolean, nullable=False, server_default=sa.false()))


def downgrade() -> None:
    """Remove it."""
    op.drop_column("takes", "mended")
