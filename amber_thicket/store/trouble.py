"""What can be wrong with a data folder, each with an exit code of its own; see docs/guide/operation.md."""

from __future__ import annotations

import errno
from pathlib import Path

from amber_thicket.errors import FolderTrouble
from amber_thicket.store.disk import full

QUEUE_FILE = "queue.sqlite3"
DAMAGED_DATABASE, DAMAGED_QUEUE, UNWRITABLE, NO_FOLDER, NO_DATABASE, NEWER, HELD, FULL, OTHER_STORE = range(10, 19)


def folder_trouble(error: OSError, folder: Path) -> FolderTrouble:
    """The error for a folder that cannot be opened or written."""
    if error.errno in (errno.ENOTDIR, errno.EEXIST) or (folder.exists() and not folder.is_dir()):
        return FolderTrouble(
            f"The data folder {folder} is a file.", remedy="Choose a folder with --data.", exit_code=NO_FOLDER
        )
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        trouble = full(folder)
        return FolderTrouble(trouble.message, remedy=trouble.remedy, exit_code=FULL, **trouble.details)
    return FolderTrouble(
        f"The data folder {folder} cannot be written ({error.strerror}).",
        remedy="Give this user the right to write there, or choose another folder with --data.",
        exit_code=UNWRITABLE,
    )
