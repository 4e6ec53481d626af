"""Archives read entry by entry: no path leaves the folder, no bomb unpacks, no link is followed.

Source: ZIP application note 6.3.
"""

from __future__ import annotations

import io
import logging
import lzma
import zipfile
import zlib
from collections.abc import Iterator

from amber_thicket.errors import UnreadableFile
from amber_thicket.formats.limits import MAX_BYTES

_STARTS = (b"PK\3\4", b"PK\5\6")
MOST_ENTRIES, MOST_BYTES, _RATIO = 2000, 4 << 30, 400
_LINK = 0o120000
_PART = 1 << 18
_ARCHIVES = (".zip", ".7z", ".rar", ".tar", ".gz", ".tgz")
log = logging.getLogger(__name__)


def is_zip(data: bytes) -> bool:
    """Whether bytes begin like a zip, also an empty one."""
    return data[:4] in _STARTS


def read_entries(data: bytes, name: str) -> Iterator[tuple[str, bytes | UnreadableFile]]:
    """(path inside, bytes) of every file of a zip, or why it was refused. Raises UnreadableFile for the whole."""
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
        infos = archive.infolist()
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError, MemoryError, UnicodeError) as error:
        log.debug("%s: %r", name, error)
        raise UnreadableFile(
            f"{name} is no zip that can be read: it is damaged or cut short.", remedy="Pack it again."
        ) from None
    with archive:
        if len(infos) > MOST_ENTRIES:
            raise UnreadableFile(f"{name} has {len(infos)} entries.", remedy=f"Give at most {MOST_ENTRIES}.", file=name)
        if sum(info.file_size for info in infos) > MOST_BYTES:
            raise UnreadableFile(
                f"{name} unpacks to over {MOST_BYTES >> 30} GB.", remedy="Give fewer files at a time.", file=name
            )
        files = [info for info in infos if not info.is_dir()]
        if files and all(info.filename.lower().endswith(_ARCHIVES) for info in files):
            raise UnreadableFile(
                f"{name} holds only other archives ({files[0].filename[:80]}).",
                remedy="Unpack it once, and give the archive inside.",
                file=name,
            )
        if not files:
            raise UnreadableFile(f"{name} is an empty zip.", remedy="Pack the maps into it.", file=name)
        for info in files:
            refused = _refused(info)
            if refused:
                yield info.filename[:200], UnreadableFile(f"{info.filename[:200]}: {refused}.", remedy="Left out.")
                continue
            try:
                content = _content(archive, info)
            except (zipfile.BadZipFile, OSError, RuntimeError, NotImplementedError, EOFError, ValueError, MemoryError,
                    zlib.error, lzma.LZMAError) as error:  # fmt: skip
                log.debug("%s in %s: %r", info.filename, name, error)
                why = "it is locked with a password" if info.flag_bits & 1 else "it is damaged, or packed in an odd way"
                yield info.filename[:200], UnreadableFile(f"{info.filename[:200]}: {why}.", remedy="Left out.")
                continue
            yield info.filename[:200], content


def _content(archive: zipfile.ZipFile, info: zipfile.ZipInfo) -> bytes:
    """Bytes of an entry, in small parts: an entry that unpacks to more than it says is noticed before it fills the
    memory. Raises BadZipFile and what zipfile raises."""
    parts, length = [], 0
    with archive.open(info) as stream:
        while part := stream.read(_PART):
            parts.append(part)
            length += len(part)
            if length > info.file_size:
                raise zipfile.BadZipFile("more than it says")
    if length != info.file_size:
        raise zipfile.BadZipFile("less than it says")
    return b"".join(parts)


def _refused(info: zipfile.ZipInfo) -> str:
    """Why an entry is not read; "" when it may be."""
    path = info.filename.replace("\\", "/")
    if path.startswith("/") or ".." in path.split("/") or ":" in path.split("/")[0]:
        return "its path leaves the archive"
    if (info.external_attr >> 16) & 0o170000 == _LINK:
        return "it is a link"
    if info.file_size > MAX_BYTES:
        return f"it is larger than {MAX_BYTES >> 20} MB"
    if info.file_size > 1 << 20 and info.file_size > _RATIO * max(info.compress_size, 1):
        return "it is packed too tightly to be a picture"
    return ""
