"""Zip archives, written entry by entry."""

from __future__ import annotations

import zipfile
from collections.abc import Iterable
from pathlib import Path


def write_zip(path: Path, entries: Iterable[tuple[str, bytes]]) -> None:
    """A zip of already compressed files, stored as they are. Fixed dates, so that equal packs are equal files."""
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
        for name, data in entries:
            info = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
            info.compress_type = zipfile.ZIP_DEFLATED if name.endswith(".json") else zipfile.ZIP_STORED
            info.external_attr = 0o644 << 16
            archive.writestr(info, data)
            del data
