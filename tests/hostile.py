"""About ninety files that mean harm or are broken in ways that files are: made here, so that everybody has them.

Each is (name, bytes). None of them may take the server with it, take long, or be answered with anything but a picture or a
sentence. Sources of the layouts: PNG third edition, TIFF 6.0, JFIF / ITU-T T.81, RIFF WebP, OpenEXR file layout, ZIP
application note, Radiance HDR, DNG 1.4.
"""

from __future__ import annotations

import functools
import io
import struct
import zipfile
import zlib
from collections.abc import Iterator

import numpy as np
import tifffile
from PIL import Image

Hostile = Iterator[tuple[str, bytes]]


def _saved(image: Image.Image, format: str, **options: object) -> bytes:
    stream = io.BytesIO()
    image.save(stream, format, **options)
    return stream.getvalue()


def chunk(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))


def png(width: int, height: int, *, bits: int = 8, colour: int = 2, body: bytes = b"", more: bytes = b"") -> bytes:
    head = struct.pack(">IIBBBBB", width, height, bits, colour, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + more + chunk(b"IDAT", body) + chunk(b"IEND", b"")


def jpeg_of_size(width: int, height: int) -> bytes:
    """A small JPEG whose frame header says another size: 65500 × 3000 made of 700 bytes."""
    data = bytearray(_saved(Image.new("RGB", (16, 16), (90, 120, 60)), "JPEG"))
    at = data.index(b"\xff\xc0")
    data[at + 5 : at + 9] = struct.pack(">HH", height, width)
    return bytes(data)


def tiff_of(tags: list[tuple[int, int, int, int]], body: bytes = b"") -> bytes:
    """A TIFF of one directory. tags: number, type, count, value."""
    head = struct.pack("<2sHI", b"II", 42, 8) + struct.pack("<H", len(tags))
    return head + b"".join(struct.pack("<HHII", *tag) for tag in tags) + struct.pack("<I", 0) + body


def plain_tags(width: int, height: int, *, samples: int = 1, bits: int = 8, compression: int = 1) -> list:  # type: ignore[type-arg]
    return [
        (256, 4, 1, width), (257, 4, 1, height), (258, 3, 1, bits), (259, 3, 1, compression), (262, 3, 1, 1),
        (273, 4, 1, 200), (277, 3, 1, samples), (278, 4, 1, height), (279, 4, 1, 64),
    ]  # fmt: skip


def lying_zip(real: bytes, said: int, name: str = "a.png") -> bytes:
    """A zip whose entry says another size than it has, in both of its headers."""
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(name, real)
    data = bytearray(stream.getvalue())
    struct.pack_into("<I", data, 22, said)
    struct.pack_into("<I", data, data.index(b"PK\1\2") + 24, said)
    return bytes(data)


def zipped(*entries: tuple[str, bytes], compression: int = zipfile.ZIP_DEFLATED) -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", compression) as archive:
        for name, data in entries:
            archive.writestr(name, data)
    return stream.getvalue()


def pngs(good: bytes) -> Hostile:
    yield "png_black_14000.png", png(14_000, 14_000, body=zlib.compress(bytes(3 * 14_000 + 1) * 14_000, 9))
    yield "png_says_huge.png", png(2_000_000_000, 2_000_000_000, body=b"x")
    yield "png_says_200mp.png", png(20_000, 10_000, body=zlib.compress(b"\0" * 1000))
    yield "png_sixteen_bit_rgba_200mp.png", png(14_000, 14_000, bits=16, colour=6, body=zlib.compress(b"\0" * 9))
    yield "png_no_pixels.png", png(0, 0, body=b"")
    yield "png_odd_depth.png", png(32, 32, bits=7, body=zlib.compress(b"\0" * 4000))
    yield "png_odd_colour.png", png(32, 32, colour=5, body=zlib.compress(b"\0" * 4000))
    yield "png_no_palette.png", png(32, 32, colour=3, body=zlib.compress(b"\0" * 33 * 32))
    yield "png_sixteen_bit_short.png", png(64, 64, bits=16, body=zlib.compress(b"\0" * 100))
    yield "png_bad_checksum.png", good[:40] + b"\xff\xff" + good[42:]
    yield "png_no_header.png", good[:8] + b"junk" * 20
    yield "png_cut.png", good[: len(good) // 2]
    yield "png_start_only.png", good[:8]
    yield "png_text_bomb.png", png(32, 32, body=zlib.compress(b"\0" * 97 * 32), more=chunk(b"zTXt", b"a\0\0" + zlib.compress(b"x" * 80_000_000)))  # fmt: skip
    yield "png_profile_bomb.png", png(32, 32, body=zlib.compress(b"\0" * 97 * 32), more=chunk(b"iCCP", b"a\0\0" + zlib.compress(b"x" * 80_000_000)))  # fmt: skip
    yield "png_rubbish_profile.png", _saved(Image.new("RGB", (64, 64)), "PNG", icc_profile=b"rubbish" * 40)
    yield "png_chunk_length_lies.png", good[:33] + b"\xff\xff\xff\xff" + good[37:]
    yield "png_thousand_chunks.png", png(32, 32, body=zlib.compress(b"\0" * 97 * 32), more=chunk(b"tEXt", b"a\0b") * 50_000)  # fmt: skip
    yield "png_animated_lie.png", png(64, 64, body=zlib.compress(b"\0" * 193 * 64), more=chunk(b"acTL", struct.pack(">II", 2**31 - 1, 0)))  # fmt: skip


def jpegs(good: bytes) -> Hostile:
    yield "jpeg_65500.jpg", jpeg_of_size(65_500, 3_000)
    yield "jpeg_no_size.jpg", jpeg_of_size(0, 0)
    yield "jpeg_65535.jpg", jpeg_of_size(65_535, 65_535)
    yield "jpeg_padded_huge.jpg", jpeg_of_size(14_000, 14_000) + b"\0" * 400_000
    yield "jpeg_cut.jpg", good[: len(good) // 2]
    yield "jpeg_start_only.jpg", good[:4]
    yield "jpeg_no_tables.jpg", good.replace(b"\xff\xdb", b"\xff\xee")
    yield "jpeg_no_scan.jpg", good[: good.index(b"\xff\xda")]
    yield "jpeg_odd_exif.jpg", _saved(Image.new("RGB", (64, 64)), "JPEG", exif=b"Exif\0\0II*\0\xff\xff\xff\xff")
    yield "jpeg_exif_loop.jpg", _saved(Image.new("RGB", (64, 64)), "JPEG", exif=b"Exif\0\0" + tiff_of([(0x8769, 4, 1, 8)])[:-4] + struct.pack("<I", 8))  # fmt: skip
    yield "jpeg_many_scans.jpg", _many_scans(good)
    yield "jpeg_cmyk_rubbish_profile.jpg", _saved(Image.new("CMYK", (64, 64)), "JPEG", icc_profile=b"\0" * 128)


def _many_scans(good: bytes) -> bytes:
    """A progressive JPEG whose scans come again and again: each makes the decoder go over everything."""
    data = _saved(Image.effect_noise((512, 512), 40).convert("RGB"), "JPEG", progressive=True)
    first = data.index(b"\xff\xda")
    return data[:first] + data[first:-2] * 400 + b"\xff\xd9"


def tiffs() -> Hostile:
    yield "tiff_samples.tif", tiff_of(plain_tags(65_535, 2_000, samples=65_535))
    yield "tiff_four_gigapixels.tif", tiff_of(plain_tags(65_000, 65_000))
    yield "tiff_plain_but_short.tif", tiff_of(plain_tags(14_000, 14_000))
    yield "tiff_deflate_short.tif", tiff_of(plain_tags(14_000, 14_000, compression=8), zlib.compress(b"\0" * 64))
    yield "tiff_lzw_rubbish.tif", tiff_of(plain_tags(600, 600, compression=5), b"\xaa" * 400)
    yield "tiff_fax_rubbish.tif", tiff_of(plain_tags(600, 600, bits=1, compression=4), b"\xaa" * 400)
    yield "tiff_unknown_packing.tif", tiff_of(plain_tags(600, 600, compression=34_712), b"\xaa" * 400)
    yield "tiff_loop.tif", struct.pack("<2sHI", b"II", 42, 8) + struct.pack("<H", 0) + struct.pack("<I", 8)
    yield "tiff_no_directory.tif", struct.pack("<2sHI", b"II", 42, 0xFFFFFFF0)
    yield "tiff_many_tags.tif", struct.pack("<2sHI", b"II", 42, 8) + struct.pack("<H", 0xFFFF) + b"\1" * 4000
    yield "tiff_tag_of_gigabytes.tif", tiff_of([*plain_tags(64, 64), (33_432, 2, 0xFFFFFFF0, 8)])
    yield "tiff_no_size.tif", tiff_of(plain_tags(0, 0))
    yield "tiff_bits_65535.tif", tiff_of(plain_tags(64, 64, bits=65_535))
    yield "tiff_empty.tif", b"II*\0"
    yield "bigtiff_far.tif", struct.pack("<2sHHHQ", b"II", 43, 8, 0, 2**62)
    stream = io.BytesIO()
    with tifffile.TiffWriter(stream) as pages:
        for _ in range(300):
            pages.write(np.zeros((16, 16), np.uint8), contiguous=False)
    yield "tiff_many_pages.tif", stream.getvalue()
    stream = io.BytesIO()
    tifffile.imwrite(stream, np.full((64, 64, 3), np.nan, np.float32), photometric="rgb")
    yield "tiff_no_numbers.tif", stream.getvalue()


def others(good: bytes) -> Hostile:
    webp = _saved(Image.new("RGB", (64, 64)), "WEBP", lossless=True)
    yield "webp_cut.webp", webp[:30]
    yield "webp_length_lies.webp", webp[:4] + b"\xff\xff\xff\x7f" + webp[8:]
    # A lossless picture of 16383 × 16383 px, as its header says.
    yield "webp_says_huge.webp", webp[:21] + struct.pack("<I", 16_382 | 16_382 << 14) + webp[25:]
    yield "webp_start_only.webp", b"RIFF\0\0\0\0WEBP"
    yield "exr_start_only.exr", b"\x76\x2f\x31\x01\2\0\0\0"
    yield "exr_window_lies.exr", _exr_window(2**30)
    yield "exr_inverted.exr", _exr_window(-5)
    yield "exr_rubbish.exr", b"\x76\x2f\x31\x01" + b"\xcc" * 4000
    yield "raw_rubbish.cr2", b"II*\0\x10\0\0\0CR\2\0" + b"\xaa" * 4000
    yield "raw_rubbish.raf", b"FUJIFILMCCD-RAW " + b"\xaa" * 4000
    yield "raw_dng_huge.dng", tiff_of([*plain_tags(60_000, 3_000, bits=16)[:4], (262, 3, 1, 32_803), (50_706, 1, 4, 0x401)])  # fmt: skip
    yield "hdr_says_huge.hdr", b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 200000 +X 200000\n" + b"\2" * 400
    yield "nothing.png", b""
    yield "a_byte.png", b"\x89"
    yield "text.png", b"this is no picture at all\n" * 20
    yield "page.jpg", b"<!DOCTYPE html><html><body>404</body></html>"
    yield "script.svg", b'<svg xmlns="http://www.w3.org/2000/svg" width="9e9" height="9e9"/>'
    yield "document.pdf", b"%PDF-1.7\n" + b"\xaa" * 300
    yield "zeros.tif", bytes(70_000)
    yield "name_" + "long" * 60 + ".png", good
    yield "..\\..\\up.png", good


def _exr_window(high: int) -> bytes:
    def attribute(name: str, kind: str, value: bytes) -> bytes:
        return name.encode() + b"\0" + kind.encode() + b"\0" + struct.pack("<I", len(value)) + value

    channels = b"".join(name + b"\0" + struct.pack("<IIII", 1, 0, 1, 1) for name in (b"B", b"G", b"R")) + b"\0"
    window = struct.pack("<4i", 0, 0, high, high)
    return (
        b"\x76\x2f\x31\x01\2\0\0\0"
        + attribute("channels", "chlist", channels)
        + attribute("compression", "compression", b"\0")
        + attribute("dataWindow", "box2i", window)
        + attribute("displayWindow", "box2i", window)
        + attribute("lineOrder", "lineOrder", b"\0")
        + attribute("pixelAspectRatio", "float", struct.pack("<f", 1))
        + attribute("screenWindowCenter", "v2f", struct.pack("<2f", 0, 0))
        + attribute("screenWindowWidth", "float", struct.pack("<f", 1))
        + b"\0"
        + b"\0" * 64
    )


def more_kinds() -> Hostile:
    """What phones and older programs save: sizes that lie, parts that are missing, rubbish after a right start."""
    small = Image.new("RGB", (48, 32), (90, 120, 60))
    avif, gif = _saved(small, "AVIF"), _saved(small, "GIF")
    made = {format: bytearray(_saved(small, format)) for format in ("BMP", "TGA", "DDS")}
    struct.pack_into("<ii", made["BMP"], 18, 60_000, 60_000)
    struct.pack_into("<HH", made["TGA"], 12, 65_535, 65_535)
    made["TGA"][2] = 10
    struct.pack_into("<II", made["DDS"], 12, 65_000, 65_000)
    for format, data in made.items():
        yield f"{format.lower()}_says_huge.{format.lower()}", bytes(data)
    at = avif.index(b"ispe") + 8
    yield "avif_says_huge.avif", avif[:at] + struct.pack(">II", 65_000, 65_000) + avif[at + 8 :]
    yield "avif_cut.avif", avif[: len(avif) // 2]
    yield "heic_rubbish.heic", b"\0\0\0\x18ftypheic\0\0\0\0mif1heic" + b"\xaa" * 4000
    yield "heic_start_only.heic", b"\0\0\0\x18ftypheic\0\0\0\0mif1heic"
    yield "jxl_says_huge.jxl", b"\xff\x0a" + b"\xff" * 12 + b"\0" * 100
    yield "jxl_rubbish.jxl", b"\xff\x0a\x41" + b"\xaa" * 4000
    yield "jp2_rubbish.jp2", b"\0\0\0\x0cjP  \r\n\x87\n" + b"\xaa" * 4000
    yield "j2k_says_huge.j2k", b"\xff\x4f\xff\x51" + struct.pack(">HHIIIIIIIIH", 47, 0, 65_000, 65_000, 0, 0, 65_000, 65_000, 0, 0, 3) + b"\7\1\1" * 3  # fmt: skip
    yield "gif_cut.gif", gif[: len(gif) // 2]
    yield "gif_says_huge.gif", gif[:6] + struct.pack("<HH", 65_535, 65_535) + gif[10:]
    yield "ppm_says_huge.ppm", b"P6 60000 60000 255\n" + b"\1" * 100
    yield "ppm_endless_number.ppm", b"P6 " + b"9" * 100_000
    psd = b"8BPS" + struct.pack(">HxxxxxxHIIHH", 1, 3, 60_000, 60_000, 8, 3)
    yield "psd_says_huge.psd", psd + struct.pack(">IIIH", 0, 0, 0, 1) + b"\1" * 400
    yield "psd_part_of_gigabytes.psd", psd[:14] + struct.pack(">IIHH", 64, 64, 8, 3) + struct.pack(">I", 0xFFFFFFF0)
    yield "psd_cut.psd", psd[:14] + struct.pack(">IIHH", 64, 64, 8, 3) + struct.pack(">IIIH", 0, 0, 0, 1) + b"\0\7" * 20


def zips(good: bytes) -> Hostile:
    yield "zip_bomb_said_small.zip", lying_zip(bytes(400_000_000), 3_000_000)
    yield "zip_bomb_said_large.zip", lying_zip(b"\0" * 1000, 2_200_000_000)
    yield "zip_bomb_honest.zip", zipped(("a.png", bytes(300_000_000)))
    yield "zip_in_zip.zip", zipped(("maps.zip", zipped(("a.png", good))))
    yield "zip_paths.zip", zipped(("../../a.png", good), ("/etc/a.png", good), ("C:/a.png", good))
    yield "zip_many.zip", zipped(*((f"{n}.png", b"") for n in range(2_500)), compression=zipfile.ZIP_STORED)
    yield "zip_cut.zip", zipped(("a.png", good))[:-30]
    yield "zip_start_only.zip", b"PK\3\4"
    yield "zip_empty.zip", zipped()
    yield "zip_lzma_rubbish.zip", _rubbish_inside(zipfile.ZIP_LZMA, good)
    yield "zip_bzip_rubbish.zip", _rubbish_inside(zipfile.ZIP_BZIP2, good)
    yield "zip_of_hostile.zip", zipped(("jpeg.jpg", jpeg_of_size(65_500, 3_000)), ("tiff.tif", tiff_of(plain_tags(65_535, 2_000, samples=65_535))), ("good.png", good))  # fmt: skip


def _rubbish_inside(compression: int, good: bytes) -> bytes:
    data = bytearray(zipped(("a.png", good), compression=compression))
    middle = len(data) // 2
    data[middle : middle + 40] = b"\xff" * 40
    return bytes(data)


@functools.cache
def hostile_files() -> dict[str, bytes]:
    """All of them, by name."""
    return dict(_made())


def _made() -> Hostile:
    noise = np.random.default_rng(5).integers(0, 256, (64, 64, 3), np.uint8)
    good = _saved(Image.fromarray(noise), "PNG")
    yield from pngs(good)
    yield from jpegs(_saved(Image.fromarray(noise), "JPEG"))
    yield from tiffs()
    yield from others(good)
    yield from more_kinds()
    yield from zips(good)
