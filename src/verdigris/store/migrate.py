"""Bring the database to the current schema: ours by Alembic, the queue's by its own SQL."""

from alembic import command
from alembic.config import Config
from sqlalchemy import text

from verdigris.store.database import engine


def migrate(url: str) -> None:
    """Apply all migrations; nothing happens when everything is current."""
    with engine(url).begin() as connection:
        # Two processes may start at once: one migrates, the other waits.
        connection.execute(text("SELECT pg_advisory_xact_lock(7041992)"))
        config = Config()
        config.set_main_option("script_location", "verdigris.store:migrations")
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
