"""Jobs that can be begun again and are done by one at a time; things that were removed are kept for a while."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add columns and the table of leases; jobs of before cannot be begun again by themselves."""
    op.add_column("jobs", sa.Column("task", JSONB))
    op.add_column("jobs", sa.Column("deaths", sa.Integer, nullable=False, server_default="0"))
    op.add_column("jobs", sa.Column("done_at_death", sa.Integer, nullable=False, server_default="-1"))
    op.add_column("jobs", sa.Column("phase", sa.Text, nullable=False, server_default=""))
    op.add_column("jobs", sa.Column("seconds_left", sa.Float))
    op.add_column("media", sa.Column("problem", sa.Text, nullable=False, server_default=""))
    op.add_column("media", sa.Column("removed", TIMESTAMP(timezone=True)))
    op.add_column("projects", sa.Column("removed", TIMESTAMP(timezone=True)))
    op.add_column("shots", sa.Column("removed", TIMESTAMP(timezone=True)))
    op.add_column("deliveries", sa.Column("content", sa.Text, nullable=False, server_default="result"))
    op.add_column("deliveries", sa.Column("fingerprint", sa.String(16), nullable=False, server_default=""))
    op.add_column("takes", sa.Column("settings", JSONB))
    op.create_table(
        "leases",
        sa.Column("job_id", sa.Uuid, sa.ForeignKey("jobs.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("part", sa.Integer, primary_key=True),
        sa.Column("attempt", sa.Uuid, nullable=False),
    )


def downgrade() -> None:
    """Remove them."""
    op.drop_table("leases")
    for table, columns in {
        "takes": ("settings",),
        "deliveries": ("fingerprint", "content"),
        "shots": ("removed",),
        "projects": ("removed",),
        "media": ("removed", "problem"),
        "jobs": ("seconds_left", "phase", "done_at_death", "deaths", "task"),
    }.items():
        for column in columns:
            op.drop_column(table, column)
