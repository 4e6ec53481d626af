"""PNG (third edition) from stored numbers, in bands of rows: never more than one band beside the picture and its file.

Rows are told by what Paeth's predictor leaves of them (12.9 of the standard). What is left is packed by deflate (RFC
1951), as it comes out smaller: by codes alone, or by a search for matches. Maps of surfaces repeat nothing within
reach of a search; colours of few shades, patterns and ramps do. Figures in docs/decisions/041.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray
from zlib_ng import zlib_ng

from amber_thicket.core.numeric.compiled import compiled
from amber_thicket.core.roles import Encoding

_SIGNATURE = b"\x89PNG\r\n\x1a\n"
# By channels: grey, grey with alpha, colour, colour with alpha.
_COLOUR_TYPES = {1: 0, 2: 4, 3: 2, 4: 6}
_PAETH = 4
# x and y of red, green and blue, and of white, of sRGB (ITU-R BT.709, CIE D65).
_PRIMARIES, _WHITE = (0.64, 0.33, 0.30, 0.60, 0.15, 0.06), (0.3127, 0.3290)
# Bytes of the rows that are told and packed at once.
_BAND = 1 << 20
# (level, strategy) of deflate.
_CODES_ALONE, _MATCHES = (1, zlib_ng.Z_HUFFMAN_ONLY), (3, zlib_ng.Z_DEFAULT_STRATEGY)
# What a search must save to be worth its time: twice to three times that of codes alone.
_WORTH = 0.97
# Bands that are tried both ways, and rows of each.
_TRIED, _TRIED_ROWS = 3, 16


def png_bytes(codes: NDArray[Any], *, encoding: Encoding, per_metre: float = 0.0) -> bytes:
    """A PNG of codes (H, W) or (H, W, 1 to 4), uint8 or uint16. sRGB pictures carry the chunks that say so; data maps
    carry none and are read raw. per_metre: pixels; 0 where nobody knows. Raises ValueError for other shapes and types.
    """
    grid = codes if codes.ndim == 3 else codes[..., None]
    known = grid.ndim == 3 and grid.shape[2] in _COLOUR_TYPES and grid.dtype in (np.uint8, np.uint16)
    if not known or not grid.size:
        raise ValueError(f"A PNG holds 1 to 4 channels of 8 or 16 bits, not {codes.shape} {codes.dtype}.")
    height, width, channels = grid.shape
    header = struct.pack(">2I5B", width, height, 8 * grid.itemsize, _COLOUR_TYPES[channels], 0, 0, 0)
    parts = [_SIGNATURE, _chunk(b"IHDR", header), *_tags(encoding, per_metre)]
    parts += [_chunk(b"IDAT", packed) for packed in _packed(grid)]
    return b"".join([*parts, _chunk(b"IEND", b"")])


def _chunk(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib_ng.crc32(kind + body))


def _tags(encoding: Encoding, per_metre: float) -> Iterator[bytes]:
    """What the file says of its colours and its size."""
    if encoding == "srgb":
        # Primaries of BT.709, transfer of IEC 61966-2-1, no matrix, full range (ITU-T H.273).
        yield _chunk(b"cICP", bytes((1, 13, 0, 1)))
        yield _chunk(b"cHRM", struct.pack(">8I", *(round(100_000 * value) for value in (*_WHITE, *_PRIMARIES))))
        yield _chunk(b"sRGB", b"\0")
        yield _chunk(b"gAMA", struct.pack(">I", 45455))
    if per_metre:
        whole = min(max(round(per_metre), 1), 0x7FFFFFFF)
        yield _chunk(b"pHYs", struct.pack(">IIB", whole, whole, 1))


def _packed(grid: NDArray[Any]) -> Iterator[bytes]:
    """The zlib stream (RFC 1950) of a picture's rows, piece by piece."""
    level, strategy = _packing(grid)
    stream = zlib_ng.compressobj(level, strategy=strategy)
    rows = max(_BAND // (grid[0].nbytes + 1), 1)
    for first in range(0, len(grid), rows):
        piece = stream.compress(_residues(grid, first, min(first + rows, len(grid))))
        if piece:
            yield piece
    yield stream.flush()


def _packing(grid: NDArray[Any]) -> tuple[int, int]:
    """Level and strategy that pack a picture better, told from a few bands of its rows."""
    starts = [round((len(grid) - _TRIED_ROWS) * number / (_TRIED + 1)) for number in range(1, _TRIED + 1)]
    if len(grid) <= _TRIED * _TRIED_ROWS:
        bands = [_residues(grid, 0, len(grid))]
    else:
        bands = [_residues(grid, start, start + _TRIED_ROWS) for start in starts]

    def length(level: int, strategy: int) -> int:
        stream = zlib_ng.compressobj(level, strategy=strategy)
        return sum(len(stream.compress(band)) for band in bands) + len(stream.flush())

    return _MATCHES if length(*_MATCHES) < _WORTH * length(*_CODES_ALONE) else _CODES_ALONE


def _residues(grid: NDArray[Any], first: int, last: int) -> NDArray[np.uint8]:
    """Rows first to last as they lie in a stream: each begins with the number of its filter."""
    above = max(first - 1, 0)
    # Of two bytes the upper one comes first.
    taken = np.ascontiguousarray(grid[above:last], grid.dtype.newbyteorder(">"))
    lines = taken.view(np.uint8).reshape(last - above, -1)
    if not first:
        lines = np.concatenate([np.zeros_like(lines[:1]), lines])
    told = np.empty((last - first, lines.shape[1] + 1), np.uint8)
    told[:, 0] = _PAETH
    _predict(lines, grid.shape[2] * grid.itemsize, told)
    return told


@compiled()
def _predict(lines, pixel, told):  # type: ignore[no-untyped-def]
    """told (n, 1 + bytes): what Paeth's predictor leaves of lines (1 + n, bytes). pixel: its bytes."""
    wide = lines.shape[1]
    for y in range(1, len(lines)):
        line, before = lines[y], lines[y - 1]
        for x in range(pixel):
            told[y - 1, x + 1] = line[x] - before[x]
        # Indices that are never negative go through many bytes at once.
        rest, lefts = line[pixel:], line[: wide - pixel]
        aboves, corners, out = before[pixel:], before[: wide - pixel], told[y - 1, pixel + 1 :]
        for x in range(len(rest)):
            left, above, corner = np.int32(lefts[x]), np.int32(aboves[x]), np.int32(corners[x])
            to_left, to_above, to_corner = abs(above - corner), abs(left - corner), abs(left + above - 2 * corner)
            nearest = above if to_above <= to_corner else corner
            nearest = left if to_left <= to_above and to_left <= to_corner else nearest
            out[x] = np.uint8(np.int32(rest[x]) - nearest)
