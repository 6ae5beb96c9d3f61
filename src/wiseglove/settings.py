"""Where things are and how large they may be; read from the environment (WISEGLOVE_...)."""

from __future__ import annotations

import os
from functools import lru_cache
from pathlib import Path
from typing import Literal

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict

from wiseglove.core.parallel import use_workers
from wiseglove.media.info import Limits


class Settings(BaseSettings):
    """Settings of a server or worker."""

    model_config = SettingsConfigDict(env_prefix="WISEGLOVE_", env_nested_delimiter="__")

    database_url: str = "postgresql://wiseglove@127.0.0.1:5432/wiseglove"
    files: Path = Path(".run/files")
    """Clips, intakes and deliveries live below it."""
    store: str = ""
    """Where clips and deliveries are shared with other machines, as s3://bucket/place; empty where `files` is all there is."""
    page: Path = Path("web/dist")
    limits: Limits = Limits()
    workers: int = Field(default=os.cpu_count() or 1, ge=1, le=256)
    """How many things a process computes at once."""
    hosts: list[str] = ["127.0.0.1", "localhost", "::1", "[::1]"]
    """Names under which the server may be asked; "*" is any."""
    origins: list[str] = []
    """Further origins whose pages may change things, such as http://127.0.0.1:5173 of a development server."""
    log: Literal["words", "json"] = "words"
    """How messages are written: for people, or a JSON object each for machines."""
    shots_at_hand: int = Field(default=16, ge=1, le=1000)
    """How many shots a process keeps as they were read; the more, the more memory it takes."""
    frames_at_hand: int = Field(default=12, ge=1, le=1000)
    """How many pictures of inserts a server keeps decoded, likewise."""
    looks_kept: int = Field(default=4_000_000_000, ge=1_000_000)
    """Bytes of rendered pictures that a server keeps on disk, so that nothing is rendered twice for looking at it."""
    sign_in: bool = False
    """Whether people have to sign in; always so where the server can be reached from other machines."""
    largest_file: int = 64_000_000_000
    """Bytes of one uploaded file."""

    @property
    def media(self) -> Path:
        """Decoded clips."""
        return self.files / "media"

    @property
    def intakes(self) -> Path:
        """Files that are just being taken in."""
        return self.files / "intakes"

    @property
    def deliveries(self) -> Path:
        """Finished packages."""
        return self.files / "deliveries"

    @property
    def looks(self) -> Path:
        """Rendered pictures for looking at; may be deleted at any time."""
        return self.files / "looks"

    def make_folders(self) -> None:
        """Make what is missing."""
        for folder in (self.media, self.intakes, self.deliveries):
            folder.mkdir(parents=True, exist_ok=True)


@lru_cache(maxsize=1)
def get_settings() -> Settings:
    """The process's settings, of which the number of workers is put into force."""
    settings = Settings()
    use_workers(settings.workers)
    return settings
