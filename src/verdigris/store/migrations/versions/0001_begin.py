"""Projects, media, shots, revisions, takes, deliveries, jobs."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = "0001"
down_revision = None


def _created() -> sa.Column[object]:
    return sa.Column("created", pg.TIMESTAMP(timezone=True), server_default=sa.func.clock_timestamp(), nullable=False)


def _link(name: str, target: str, nullable: bool = False, primary: bool = False) -> sa.Column[object]:
    return sa.Column(name, sa.Uuid, sa.ForeignKey(f"{target}.id", ondelete="CASCADE"), nullable=nullable, primary_key=primary)


def upgrade() -> None:
    """Make the tables."""
    op.create_table("projects", sa.Column("id", sa.Uuid, primary_key=True), sa.Column("name", sa.Text, nullable=False), _created())
    op.create_table(
        "media",
        sa.Column("hash", sa.String(64), primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("ending", sa.String(8), nullable=False),
        sa.Column("bytes", sa.BigInteger, nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("facts", pg.JSONB),
        sa.Column("proxies", sa.Integer, nullable=False),
        _created(),
    )
    op.create_table(
        "shots",
        sa.Column("id", sa.Uuid, primary_key=True),
        _link("project_id", "projects"),
        sa.Column("head", sa.Integer, nullable=False),
        _created(),
    )
    op.create_index("ix_shots_project_id", "shots", ["project_id"])
    op.create_table(
        "revisions",
        _link("shot_id", "shots", primary=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("parent", sa.Integer),
        sa.Column("document", pg.JSONB, nullable=False),
        sa.Column("label", sa.Text, nullable=False),
        _created(),
    )
    op.create_table(
        "takes",
        sa.Column("id", sa.Uuid, primary_key=True),
        _link("shot_id", "shots"),
        sa.Column("surface", sa.Text, nullable=False),
        sa.Column("label", sa.Text, nullable=False),
        sa.Column("key", sa.String(32), nullable=False),
        sa.Column("reference_frame", sa.Integer, nullable=False),
        sa.Column("motion", sa.String(16), nullable=False),
        _created(),
    )
    op.create_index("ix_takes_shot_id", "takes", ["shot_id"])
    op.create_table(
        "take_frames",
        _link("take_id", "takes", primary=True),
        sa.Column("frame", sa.Integer, primary_key=True),
        sa.Column("status", sa.String(16), nullable=False),
        sa.Column("homography", pg.ARRAY(sa.Float)),
        sa.Column("corners", pg.ARRAY(sa.Float)),
        sa.Column("sigma_px", pg.ARRAY(sa.Float)),
        sa.Column("residual_px", sa.Float),
        sa.Column("share_used", sa.Float, nullable=False),
        sa.Column("reason", sa.Text, nullable=False),
    )
    op.create_table(
        "deliveries",
        sa.Column("id", sa.Uuid, primary_key=True),
        _link("shot_id", "shots"),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("form", sa.String(8), nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("file", sa.Text, nullable=False),
        sa.Column("bytes", sa.BigInteger, nullable=False),
        sa.Column("frames_without_track", pg.ARRAY(sa.Integer), nullable=False),
        _created(),
    )
    op.create_index("ix_deliveries_shot_id", "deliveries", ["shot_id"])
    op.create_table(
        "jobs",
        sa.Column("id", sa.Uuid, primary_key=True),
        sa.Column("kind", sa.String(16), nullable=False),
        sa.Column("title", sa.Text, nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("done", sa.Integer, nullable=False),
        sa.Column("total", sa.Integer, nullable=False),
        sa.Column("message", sa.Text, nullable=False),
        sa.Column("stop_asked", sa.Boolean, nullable=False),
        _link("shot_id", "shots", nullable=True),
        _link("take_id", "takes", nullable=True),
        _link("delivery_id", "deliveries", nullable=True),
        sa.Column("media_hash", sa.String(64)),
        _created(),
        sa.Column("finished", pg.TIMESTAMP(timezone=True)),
    )
    op.create_index("ix_jobs_state", "jobs", ["state"])


def downgrade() -> None:
    """Remove the tables."""
    for table in ("jobs", "deliveries", "take_frames", "takes", "revisions", "shots", "media", "projects"):
        op.drop_table(table)
