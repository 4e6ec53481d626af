"""How one web process is set up."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path


@dataclass(frozen=True)
class Config:
    """folder: the data folder. host, port: where it listens. token: demanded from everybody when set.
    queue_url: redis://… or None for SQLite. worker: start one. memory: bytes of results kept."""

    folder: Path
    host: str = "127.0.0.1"
    port: int = 8760
    token: str | None = None
    queue_url: str | None = None
    worker: bool = True
    immediate: bool = False
    memory: int = 2_000_000_000
    demo: bool = False
    hosts: tuple[str, ...] = field(default=())

    @property
    def loopback(self) -> bool:
        return self.host in ("127.0.0.1", "localhost", "::1")
