"""What the tags of a file say about how its numbers are encoded."""

from __future__ import annotations

import struct
from typing import Literal


def encoding_tag(data: bytes) -> Literal["srgb", "linear", ""]:
    """Of a PNG: its sRGB, cICP, iCCP or gAMA chunk. "" where nothing is said, or for other formats.

    Source: PNG specification, third edition, 11.3.2 (sRGB, gAMA, cICP, iCCP).
    """
    if data[:4] == b"\x76\x2f\x31\x01":
        return "linear"
    if data[:8] != b"\x89PNG\r\n\x1a\n":
        return ""
    at, gamma = 8, 0
    while at + 8 <= len(data):
        length, kind = struct.unpack(">I4s", data[at : at + 8])
        body = data[at + 8 : at + 8 + length]
        if kind == b"sRGB":
            return "srgb"
        if kind == b"cICP" and len(body) == 4:
            return {13: "srgb", 8: "linear"}.get(body[1], "")  # type: ignore[return-value]
        if kind == b"iCCP":
            return "srgb" if b"srgb" in body[:80].lower() else ""
        if kind == b"gAMA" and len(body) == 4:
            gamma = struct.unpack(">I", body)[0]
        if kind in (b"IDAT", b"IEND"):
            break
        at += 12 + length
    return "linear" if gamma == 100000 else "srgb" if gamma == 45455 else ""
