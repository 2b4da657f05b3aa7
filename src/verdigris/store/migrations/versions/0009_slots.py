"""Artwork belongs to the project: slots, each with its versions."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the tables."""
    op.create_table(
        "slots",
        sa.Column("project_id", sa.Uuid, sa.ForeignKey("projects.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("key", sa.String(64), primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("current", sa.Integer, nullable=False),
        sa.Column("created", TIMESTAMP(timezone=True), server_default=sa.func.clock_timestamp(), nullable=False),
    )
    op.create_table(
        "slot_versions",
        sa.Column("project_id", sa.Uuid, primary_key=True),
        sa.Column("key", sa.String(64), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("revision", sa.Text, nullable=False),
        sa.Column("language", sa.Text, nullable=False),
        sa.Column("note", sa.Text, nullable=False),
        sa.Column("artwork", JSONB, nullable=False),
        sa.Column("created", TIMESTAMP(timezone=True), server_default=sa.func.clock_timestamp(), nullable=False),
        sa.ForeignKeyConstraint(["project_id", "key"], ["slots.project_id", "slots.key"], ondelete="CASCADE"),
    )


def downgrade() -> None:
    """Remove them."""
    op.drop_table("slot_versions")
    op.drop_table("slots")
