"""Settings, from the environment (prefix VERDIGRIS_)."""

import os
from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict

# Two workers, and in the web process's service one process for single frames and one for advice.
DECODING_PROCESSES = 4


def memory_share() -> int:
    """What one of the processes that decode may use, so that all of them together fit into this machine."""
    whole = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    return min(8 * 2**30, int(0.85 * whole / DECODING_PROCESSES))


class Settings(BaseSettings):
    """Where things are, and limits."""

    model_config = SettingsConfigDict(env_prefix="VERDIGRIS_")

    database_url: str = Field("", description="address of the PostgreSQL database")
    media_dir: Path = Field(Path("var/media"), description="shared folder of media, by content hash")
    port: int = Field(8765, description="port of the web process on loopback")
    start_token: str = Field("", description="what the launcher knows its own web process by")
    parent: int = Field(0, description="process that started this one; this one ends when that does. 0: nobody")
    largest_upload: int = Field(20 * 2**30, description="largest upload, bytes")
    most_pixels: int = Field(8192 * 8192, description="most pixels of a frame")
    most_frames: int = Field(20_000, description="most frames of a film or sequence")
    longest_seconds: int = Field(7200, description="longest film, seconds")
    decoder_memory: int = Field(default_factory=memory_share, description="memory of a process that decodes, bytes")
    decode_seconds: int = Field(30, description="longest a single frame may take to decode; then its process is ended")
    least_free: int = Field(32 * 2**20, description="free disk space below which long work waits, bytes")
    keep_removed_days: int = Field(30, description="days that what was removed stays in the bin")
