"""Settings, from the environment (prefix VERDIGRIS_)."""

from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """Where things are, and limits."""

    model_config = SettingsConfigDict(env_prefix="VERDIGRIS_")

    database_url: str = Field("", description="address of the PostgreSQL database")
    media_dir: Path = Field(Path("var/media"), description="shared folder of media, by content hash")
    port: int = Field(8765, description="port of the web process on loopback")
    largest_upload: int = Field(20 * 2**30, description="largest upload, bytes")
    most_pixels: int = Field(8192 * 8192, description="most pixels of a frame")
    most_frames: int = Field(20_000, description="most frames of a film or sequence")
    longest_seconds: int = Field(7200, description="longest film, seconds")
    decoder_memory: int = Field(8 * 2**30, description="address space of a process that decodes, bytes")
