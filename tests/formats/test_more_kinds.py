"""Files that phones, scanners, older programs and bought sets hold, each against an independent writer or reader."""

import io
import struct
import unittest
from typing import Any

import colour
import cv2
import imagecodecs
import numpy as np
import pillow_heif
from PIL import Image
from psd_tools import PSDImage

from amber_thicket.core.numeric.colour import decode_srgb, srgb_to_linear
from amber_thicket.core.pack.formats import FORMATS
from amber_thicket.errors import TooLarge, UnreadableFile
from amber_thicket.formats.picture import Picture, kind_of, read_picture
from amber_thicket.formats.write import encoded as written
from tests.support import encoded

RNG = np.random.default_rng(4)
RGB = RNG.integers(0, 256, (37, 52, 3), np.uint8)
RGBA = np.dstack([RGB, RNG.integers(0, 255, (37, 52), np.uint8)])
DEEP = RNG.integers(0, 65536, (37, 52, 3), np.uint16)


def heif(codes: np.ndarray, **options: Any) -> bytes:
    """By pillow-heif (libheif)."""
    mode = "RGB;16" if codes.dtype == np.uint16 else "RGB"
    made = pillow_heif.from_bytes(mode=mode, size=(codes.shape[1], codes.shape[0]), data=codes.tobytes())
    stream = io.BytesIO()
    made.save(stream, quality=-1, chroma=444, matrix_coefficients=0, **options)
    return stream.getvalue()


def smooth(most: int) -> np.ndarray:
    """A gradient, so that lossy kinds keep it to a code or two."""
    y, x = np.mgrid[0:64, 0:96]
    both = np.dstack([x / 95, y / 63, (x + y) / 158])
    return np.rint(both * most).astype(np.uint16 if most > 255 else np.uint8)


def psd(codes: np.ndarray, mode: str = "RGB") -> bytes:
    """By psd-tools."""
    stream = io.BytesIO()
    PSDImage.frompil(Image.fromarray(codes, mode)).save(stream)
    return stream.getvalue()


def deep_psd(codes: np.ndarray) -> bytes:
    """16 bit, unpacked, as the published format lays it out."""
    head = b"8BPS" + struct.pack(">HxxxxxxHIIHH", 1, 3, codes.shape[0], codes.shape[1], 16, 3)
    return head + struct.pack(">III", 0, 0, 0) + struct.pack(">H", 0) + codes.transpose(2, 0, 1).astype(">u2").tobytes()


class KindTest(unittest.TestCase):
    def seen(self, data: bytes, kind: str) -> Picture:
        self.assertEqual(kind_of(data), kind)
        return read_picture(data, f"p.{kind}")

    def test_lossless_kinds_hold_the_very_numbers(self) -> None:
        plain = {
            "bmp": encoded(RGB, "BMP"), "tga": encoded(RGB, "TGA"), "pnm": encoded(RGB, "PPM"),
            "dds": encoded(RGB, "DDS"), "psd": psd(RGB), "jpegxl": bytes(imagecodecs.jpegxl_encode(RGB, lossless=True)),
            "jpeg2000": bytes(imagecodecs.jpeg2k_encode(RGB, level=0, reversible=True)), "heif": heif(RGB),
        }  # fmt: skip
        for kind, data in plain.items():
            with self.subTest(kind):
                picture = self.seen(data, kind)
                np.testing.assert_array_equal(picture.pixels, decode_srgb(RGB))
                self.assertEqual((picture.bits, picture.alpha), (8, None))

    def test_more_than_eight_bits_stay(self) -> None:
        ok, ppm = cv2.imencode(".ppm", DEEP[..., ::-1])
        self.assertTrue(ok)
        deep = {
            "pnm": bytes(ppm), "jpegxl": bytes(imagecodecs.jpegxl_encode(DEEP, lossless=True)), "psd": deep_psd(DEEP),
            "jpeg2000": bytes(imagecodecs.jpeg2k_encode(DEEP, level=0, reversible=True)),
        }  # fmt: skip
        for kind, data in deep.items():
            with self.subTest(kind):
                picture = self.seen(data, kind)
                self.assertEqual(picture.bits, 16)
                np.testing.assert_allclose(picture.pixels, srgb_to_linear(DEEP / 65535), atol=2e-7)

    def test_ten_bits_of_phones(self) -> None:
        ten = smooth(1023)
        avif = bytes(imagecodecs.avif_encode(ten, level=100, bitspersample=10, pixelformat="444"))
        for kind, data in (("avif", avif), ("heif", heif((ten.astype(np.uint32) * 65535 // 1023).astype(np.uint16)))):
            with self.subTest(kind):
                picture = self.seen(data, kind)
                self.assertEqual(picture.bits, 10)
                off = np.abs(picture.pixels - srgb_to_linear(ten / 1023))
                # Half a step of eight bits would be .0078 at the bright end.
                self.assertLess(float(np.percentile(off, 99)), 0.005)

    def test_lossy_kinds_come_near(self) -> None:
        codes = smooth(255)
        for kind, data in (("avif", encoded(codes, "AVIF", quality=95)), ("heif", heif(codes))):
            with self.subTest(kind):
                off = np.abs(self.seen(data, kind).pixels - decode_srgb(codes))
                self.assertLess(float(np.percentile(off, 99)), 0.03)

    def test_alpha_comes_along(self) -> None:
        for kind, data in (("tga", encoded(RGBA, "TGA")), ("dds", encoded(RGBA, "DDS")), ("psd", psd(RGBA, "RGBA"))):
            with self.subTest(kind):
                picture = self.seen(data, kind)
                assert picture.alpha is not None
                np.testing.assert_allclose(picture.alpha, RGBA[..., 3] / 255, atol=1e-6)

    def test_packed_and_compressed_ones(self) -> None:
        flat = np.repeat(np.repeat(RNG.integers(0, 256, (4, 4, 3), np.uint8), 16, 0), 16, 1)
        runs = encoded(flat, "TGA", compression="tga_rle")
        np.testing.assert_array_equal(self.seen(runs, "tga").pixels, decode_srgb(flat))
        # Blocks of one colour lose nothing in BC1 but what 5 or 6 bits cannot hold.
        blocks = self.seen(encoded(flat, "DDS", pixel_format="DXT1"), "dds")
        self.assertLess(float(np.abs(blocks.pixels - decode_srgb(flat)).max()), 0.06)
        gif = self.seen(encoded(flat, "GIF"), "gif")
        np.testing.assert_array_equal(gif.pixels, decode_srgb(flat))
        self.assertIn("palette expanded", gif.notes)

    def test_an_animation_gives_its_first_frame(self) -> None:
        frames = [Image.fromarray(np.full((8, 8, 3), value, np.uint8)) for value in (40, 200)]
        stream = io.BytesIO()
        frames[0].save(stream, "GIF", save_all=True, append_images=frames[1:])
        picture = self.seen(stream.getvalue(), "gif")
        self.assertIn("first of 2 frames", picture.notes)
        np.testing.assert_allclose(picture.pixels, decode_srgb(np.full((8, 8, 3), 40, np.uint8)), atol=0.01)

    def test_radiance_is_linear_light(self) -> None:
        light = (RNG.random((20, 30, 3)) * 4).astype(np.float32)
        ok, data = cv2.imencode(".hdr", light[..., ::-1])
        self.assertTrue(ok)
        picture = self.seen(bytes(data), "hdr")
        self.assertTrue(picture.floating)
        # Mantissas of eight bits.
        np.testing.assert_allclose(picture.pixels, light, atol=4 / 128)

    def test_turned_by_the_phone(self) -> None:
        exif = Image.Exif()
        exif[0x0112] = 6
        picture = read_picture(heif(RGB, exif=exif.tobytes()), "p.heic")
        np.testing.assert_array_equal(picture.pixels, decode_srgb(np.ascontiguousarray(np.rot90(RGB, -1))))

    def test_what_no_picture_is_is_named(self) -> None:
        for data, what in (
            (b"%PDF-1.7 " + bytes(40), "a PDF"), (b"%!PS-3.0" + bytes(40), "PostScript"),
            (b"\0\0\0\x18ftypmp42" + bytes(40), "a film"), (b"\0\0\0\x18ftypisom" + bytes(40), "a film"),
            (b'<?xml version="1.0"?><svg xmlns=""/>', "SVG"), (bytes(range(256)) * 4, "not a picture"),
        ):  # fmt: skip
            with self.subTest(what), self.assertRaisesRegex(UnreadableFile, what):
                read_picture(data, "p")


class OwnTest(unittest.TestCase):
    def test_what_the_program_packs_it_reads(self) -> None:
        for format in FORMATS.values():
            codes = RGB if "8" in format.depths else None
            if codes is None or format.lossy:
                continue
            data = written(codes, format=format.id, encoding="srgb")
            with self.subTest(format.id):
                picture = read_picture(data, f"p.{format.suffix}", as_stored=True)
                np.testing.assert_allclose(picture.pixels, RGB / 255, atol=1e-6)


class HostileTest(unittest.TestCase):
    def test_cut_short_anywhere_is_said_and_nothing_falls(self) -> None:
        files = {
            "heif": heif(RGB), "avif": encoded(RGB, "AVIF"), "tga": encoded(RGB, "TGA"), "dds": encoded(RGB, "DDS"),
            "psd": psd(RGB), "pnm": encoded(RGB, "PPM"), "jpegxl": bytes(imagecodecs.jpegxl_encode(RGB)),
            "jpeg2000": bytes(imagecodecs.jpeg2k_encode(RGB)), "bmp": encoded(RGB, "BMP"), "gif": encoded(RGB, "GIF"),
        }  # fmt: skip
        for kind, data in files.items():
            for share in (0.02, 0.1, 0.4, 0.8):
                part = data[: max(20, int(share * len(data)))]
                with self.subTest(kind=kind, share=share):
                    try:
                        picture = read_picture(part, "p")
                    except (UnreadableFile, TooLarge):
                        continue
                    # Some decoders give what there is.
                    self.assertEqual(picture.pixels.shape, (*RGB.shape[:2], 3))

    def test_sizes_are_judged_before_anything_is_decoded(self) -> None:
        huge = 60_000
        tga = bytearray(encoded(RGB, "TGA", compression="tga_rle"))
        struct.pack_into("<HH", tga, 12, huge, huge)
        bmp = bytearray(encoded(RGB, "BMP"))
        struct.pack_into("<ii", bmp, 18, huge, huge)
        dds = bytearray(encoded(RGB, "DDS"))
        struct.pack_into("<II", dds, 12, huge, huge)
        layered = bytearray(psd(RGB))
        struct.pack_into(">II", layered, 14, huge, huge)
        ppm = encoded(RGB, "PPM").replace(b"52 37", b"60000 60000")
        for data in (tga, bmp, dds, layered, ppm):
            with self.subTest(bytes(data[:4])), self.assertRaises((TooLarge, UnreadableFile)):
                read_picture(bytes(data), "p")

    def test_a_size_of_jpeg_xl_is_read_from_its_first_bits(self) -> None:
        from amber_thicket.formats.phone_kinds import _jpegxl_size

        for high, wide in ((8, 8), (64, 256), (37, 52), (100, 150), (1080, 1920), (513, 700), (3, 9000)):
            codes = np.zeros((high, wide), np.uint8)
            for lossless in (False, True):
                data = bytes(imagecodecs.jpegxl_encode(codes, lossless=lossless))
                self.assertEqual(_jpegxl_size(data, "p"), (wide, high), (high, wide, lossless))


class Shots(unittest.TestCase):
    def test_display_p3_is_converted_where_a_few_numbers_say_so(self) -> None:
        """Against the matrices of colour-science (SMPTE EG 432-1 and IEC 61966-2-1)."""
        codes = np.zeros((32, 32, 3), np.uint8)
        codes[:] = (200, 90, 60)
        found = read_picture(heif(codes, color_primaries=12, transfer_characteristics=13), "p.heic")
        wanted = colour.RGB_to_RGB(
            colour.cctf_decoding(codes[0, 0] / 255.0, "sRGB"), "Display P3", "sRGB", chromatic_adaptation_transform=None
        )
        np.testing.assert_allclose(found.pixels[16, 16], wanted, atol=0.004)
        self.assertIn("converted from Display P3", found.notes)
        plain = read_picture(heif(codes), "p.heic")
        self.assertGreater(float(found.pixels[16, 16, 0] - plain.pixels[16, 16, 0]), 0.05)

    def test_how_it_was_taken(self) -> None:
        """Exif 2.32: 1/50 s at f/4 and ISO 200 lets in log2(1/50 × 2 / 16) stops."""
        tags = Image.Exif()
        inner = tags.get_ifd(0x8769)
        inner[0x829A], inner[0x829D], inner[0x8827], inner[0xA405] = 0.02, 4.0, 200, 26
        tags[0x0110] = "Bench"
        stream = io.BytesIO()
        Image.fromarray(RGB).save(stream, "JPEG", exif=tags)
        for data in (stream.getvalue(), heif(RGB, exif=tags.tobytes())):
            shot = read_picture(data, "p").shot
            self.assertAlmostEqual(shot["stops"], np.log2(0.02 * 2 / 16), places=2)
            self.assertEqual((shot["focal_35"], shot["model"]), (26, "Bench"))
        # Tags that lie are left out without a word.
        inner[0x829A], inner[0xA405] = 0.0, 65535
        stream = io.BytesIO()
        Image.fromarray(RGB).save(stream, "JPEG", exif=tags)
        self.assertNotIn("stops", read_picture(stream.getvalue(), "p").shot)
        self.assertNotIn("focal_35", read_picture(stream.getvalue(), "p").shot)


if __name__ == "__main__":
    unittest.main()
