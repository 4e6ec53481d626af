"""How a photograph was taken, as its tags say: exposure, lens, camera and time.

Source: Exif 2.32 (tags 0x829A exposure time, 0x829D f-number, 0x8827 sensitivity, 0x920A and 0xA405 focal length).
Part of what reads a stranger's bytes: it runs in the helper process, and odd tags are left out without a word.
"""

from __future__ import annotations

import io
import math
from typing import Any

_EXIF, _MODEL, _TIME, _LATER_TIME = 0x8769, 0x0110, 0x0132, 0x9003
_SECONDS, _APERTURE, _SENSITIVITY, _FOCAL, _FOCAL_35 = 0x829A, 0x829D, 0x8827, 0x920A, 0xA405
# Errors that libraries raise over tags that are cut short or lie.
_ODD = (OSError, ValueError, TypeError, SyntaxError, KeyError, IndexError, OverflowError, ZeroDivisionError)


def shot_of_image(image: Any) -> dict[str, Any]:
    """Of an open Pillow image: as told() gives it."""
    try:
        tags = image.getexif()
        return told({**dict(tags), **dict(tags.get_ifd(_EXIF))})
    except _ODD:
        return {}


def shot_of_exif(data: bytes | None) -> dict[str, Any]:
    """Of a block of Exif bytes, as HEIF and AVIF carry it."""
    from PIL import Image

    if not data:
        return {}
    tags = Image.Exif()
    try:
        tags.load(data)
        return told({**dict(tags), **dict(tags.get_ifd(_EXIF))})
    except _ODD:
        return {}


def shot_of_tiff(data: bytes) -> dict[str, Any]:
    """Of a TIFF, or of a camera RAW file that is one inside; nothing for others."""
    import tifffile

    if data[:4] not in (b"II*\0", b"MM\0*"):
        return {}
    try:
        with tifffile.TiffFile(io.BytesIO(data)) as tiff:
            page: Any = tiff.pages[0]
            tags = {tag.code: tag.value for tag in page.tags}
            inner = tags.get(_EXIF)
            names = {"ExposureTime": _SECONDS, "FNumber": _APERTURE, "ISOSpeedRatings": _SENSITIVITY,
                     "PhotographicSensitivity": _SENSITIVITY, "FocalLength": _FOCAL,
                     "FocalLengthIn35mmFilm": _FOCAL_35, "DateTimeOriginal": _LATER_TIME}  # fmt: skip
            if isinstance(inner, dict):
                tags |= {names[name]: value for name, value in inner.items() if name in names}
            return told(tags)
    except (*_ODD, tifffile.TiffFileError, RuntimeError, EOFError, AttributeError):
        return {}


def told(tags: dict[int, Any]) -> dict[str, Any]:
    """What is known of: stops (log2 of the light the sensor was given, for one scene), focal_35 (mm), model, taken.

    stops rise by one where twice the light was let in: log2(seconds × sensitivity / 100 / f-number²).
    """
    found: dict[str, Any] = {}
    seconds, aperture, sensitivity = (_number(tags.get(tag)) for tag in (_SECONDS, _APERTURE, _SENSITIVITY))
    if seconds:
        stops = math.log2(seconds) + (math.log2(sensitivity / 100) if sensitivity else 0.0)
        found["stops"] = round(stops - (2 * math.log2(aperture) if aperture else 0.0), 3)
    focal = _number(tags.get(_FOCAL_35))
    if focal and 4 <= focal <= 2000:
        found["focal_35"] = round(focal, 1)
    for name, tag in (("model", _MODEL), ("taken", _LATER_TIME), ("taken", _TIME)):
        value = tags.get(tag)
        if isinstance(value, str) and value.strip() and name not in found:
            found[name] = "".join(c for c in value if c.isprintable()).strip()[:64]
    return found


def _number(value: Any) -> float | None:
    """A positive finite number of a tag: a rational, a pair, or the first of several."""
    try:
        if isinstance(value, tuple | list):
            value = value[0] / value[1] if len(value) == 2 and value[1] else value[0]
        number = float(value)
    except _ODD:
        return None
    return number if math.isfinite(number) and number > 0 else None
