"""A photograph of 24 megapixels comes in: read by the helper process, against read in the same process."""

from __future__ import annotations

import io
import tempfile
import time
from pathlib import Path
from unittest import mock

import cv2
import numpy as np
from PIL import Image

from amber_thicket.core.memory import Memory
from amber_thicket.formats import apart
from amber_thicket.formats.picture import read_picture
from amber_thicket.service.library import Library
from amber_thicket.store.blobs import open_blobs
from amber_thicket.store.database import open_database

_ROUNDS = 7


def photograph(width: int = 6000, height: int = 4000) -> bytes:
    """A JPEG of soft noise, about as large as a camera makes it."""
    rng = np.random.default_rng(0)
    noise = cv2.GaussianBlur(rng.integers(0, 256, (height, width, 3), np.uint8), (0, 0), 1.2)
    stream = io.BytesIO()
    Image.fromarray(cv2.convertScaleAbs(noise, alpha=3.0, beta=-256.0)).save(stream, "JPEG", quality=92)
    return stream.getvalue()


def run(_side: int = 0) -> None:
    data = photograph()
    helpers = apart.Apart(helpers=1)
    helpers.warm()
    times: dict[str, list[float]] = {
        "read here": [],
        "read apart": [],
        "import, read here": [],
        "import, read apart": [],
    }
    with tempfile.TemporaryDirectory() as name:
        database = open_database(Path(name))
        library = Library(database, open_blobs(Path(name)), Memory(500_000_000, largest_passing=100_000_000))
        with database.connection_context():
            for number in range(_ROUNDS):
                for where, reader in (("here", None), ("apart", helpers)):
                    with mock.patch.object(apart, "_apart", reader):
                        began = time.perf_counter()
                        read_picture(data, "a.jpg")
                        times[f"read {where}"].append(time.perf_counter() - began)
                        began = time.perf_counter()
                        # A comment makes each another file (ITU-T T.81, B.2.4.5).
                        said = b"\xff\xfe\x00\x04" + where[:1].encode() + bytes([number])
                        library.add([data[:2], said, data[2:]], "a.jpg")
                        times[f"import, read {where}"].append(time.perf_counter() - began)
    helpers.stop()
    print(f"\nA JPEG of 24 megapixels, {len(data) / 1e6:.1f} MB, best of {_ROUNDS} by turns")
    for what, seconds in times.items():
        floor = min(times[what.replace("apart", "here")])
        print(f"  {what:<20} {min(seconds) * 1e3:6.0f} ms  × {min(seconds) / floor:.2f}")
