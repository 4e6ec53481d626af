"""How one web process is set up."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

from amber_thicket.blocks import results_budget

_EVERY_ADDRESS = ("0.0.0.0", "::", "")
_LOOPBACK = ("127.0.0.1", "localhost", "::1")


@dataclass(frozen=True)
class Config:
    """folder: the data folder. host, port: where it listens. token: demanded from everybody when set, beside the tokens
    of single people. hosts: names it answers to beside its own. proxy: address of a reverse proxy that is believed.
    queue_url: redis://… or None for SQLite. worker: start one. memory: bytes of results kept.
    idle_seconds: after so long without a request they are let go.
    keep_days, keep_bytes: how long, and how many, results of packs are kept. streams: most open event streams.
    decode_apart: read strangers' files in a process of their own. blobs: s3://bucket/prefix where stored files do not
    lie in the folder. watch: a folder whose pictures become materials; watch_batch: and are packed at once."""

    folder: Path
    host: str = "127.0.0.1"
    port: int = 8760
    token: str | None = None
    queue_url: str | None = None
    worker: bool = True
    immediate: bool = False
    memory: int = field(default_factory=results_budget)
    idle_seconds: float = 900.0
    demo: bool = False
    hosts: tuple[str, ...] = field(default=())
    proxy: str | None = None
    keep_days: float = 30.0
    keep_bytes: int = 50_000_000_000
    streams: int = 2000
    decode_apart: bool = False
    blobs: str = ""
    watch: Path | None = None
    watch_batch: bool = False

    @property
    def loopback(self) -> bool:
        return self.host in _LOOPBACK

    @property
    def everywhere(self) -> bool:
        """Whether it listens on all addresses of this machine."""
        return self.host in _EVERY_ADDRESS
