"""Archives read entry by entry: no path leaves the folder, no bomb unpacks, no link is followed."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator

from amber_thicket.errors import UnreadableFile
from amber_thicket.formats.limits import MAX_BYTES

MOST_ENTRIES, MOST_BYTES, _RATIO = 2000, 4 << 30, 400
_LINK = 0o120000


def entries(data: bytes, name: str) -> Iterator[tuple[str, bytes | UnreadableFile]]:
    """(path inside, bytes) of every file of a zip, or why it was refused. Raises UnreadableFile for the whole."""
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
    except (zipfile.BadZipFile, OSError, ValueError) as error:
        raise UnreadableFile(f"{name} is no zip that can be read ({error}).", remedy="Pack it again.") from None
    with archive:
        infos = archive.infolist()
        if len(infos) > MOST_ENTRIES:
            raise UnreadableFile(f"{name} has {len(infos)} entries.", remedy=f"Give at most {MOST_ENTRIES}.", file=name)
        if sum(info.file_size for info in infos) > MOST_BYTES:
            raise UnreadableFile(
                f"{name} unpacks to over {MOST_BYTES >> 30} GB.", remedy="Give fewer files at a time.", file=name
            )
        for info in infos:
            if info.is_dir():
                continue
            refused = _refused(info)
            if refused:
                yield info.filename[:200], UnreadableFile(f"{info.filename[:200]}: {refused}.", remedy="Left out.")
                continue
            try:
                with archive.open(info) as stream:
                    content = stream.read(MAX_BYTES + 1)
            except (zipfile.BadZipFile, OSError, RuntimeError, NotImplementedError, EOFError, ValueError) as error:
                yield info.filename, UnreadableFile(f"{info.filename}: damaged ({error}).", remedy="Left out.")
                continue
            yield info.filename, content


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
