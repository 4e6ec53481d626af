"""Reading captures: every colour model and depth, orientation, profiles, and bad files (QUALITY §4)."""

import io
import struct
import tempfile
import unittest
import zlib

import imagecodecs
import numpy as np
import OpenEXR
import tifffile
from PIL import Image, ImageCms

from amber_thicket.core.numeric.colour import decode_srgb, srgb_to_linear
from amber_thicket.errors import TooLarge, UnreadableFile
from amber_thicket.formats.decode import Develop
from amber_thicket.formats.picture import read_picture
from amber_thicket.standins.capture_rig.raw_file import dng
from tests.support import encoded

RNG = np.random.default_rng(1)
RGB = RNG.integers(0, 256, (24, 32, 3), np.uint8)


def tiff(codes: np.ndarray, **options: object) -> bytes:
    stream = io.BytesIO()
    tifffile.imwrite(stream, codes, **options)
    return stream.getvalue()


class DepthTest(unittest.TestCase):
    def test_eight_bit_formats_are_exact(self) -> None:
        for data in (
            encoded(RGB),
            encoded(RGB, "TIFF"),
            encoded(RGB, "WEBP", lossless=True),
            tiff(RGB, photometric="rgb", tile=(16, 16)),
        ):
            picture = read_picture(data, "p")
            np.testing.assert_array_equal(picture.pixels, decode_srgb(RGB))
            self.assertEqual(picture.bits, 8)

    def test_sixteen_bits_stay_sixteen(self) -> None:
        deep = RNG.integers(0, 65536, (20, 30, 3), np.uint16)
        for data in (
            bytes(imagecodecs.png_encode(deep)),
            tiff(deep, photometric="rgb"),
            tiff(deep, photometric="rgb", compression="zlib"),
        ):
            picture = read_picture(data, "p")
            self.assertEqual(picture.bits, 16)
            np.testing.assert_allclose(picture.pixels, srgb_to_linear(deep / 65535), atol=2e-7)
        grey = read_picture(bytes(imagecodecs.png_encode(np.ascontiguousarray(deep[..., 0]))), "p")
        self.assertEqual((grey.bits, grey.pixels.shape), (16, (20, 30, 3)))

    def test_float_is_linear_and_odd_values_are_replaced(self) -> None:
        values = RNG.random((10, 12, 3), np.float32) * 3
        values[0, 0], values[0, 1], values[0, 2] = np.nan, np.inf, -1
        picture = read_picture(tiff(values, photometric="rgb"), "p")
        self.assertTrue(picture.floating)
        self.assertTrue(np.isfinite(picture.pixels).all())
        np.testing.assert_array_equal(picture.pixels[1:], values[1:])
        self.assertEqual(float(picture.pixels[0, :3].max()), 0)
        self.assertIn("not numbers", " ".join(picture.notes))

    def test_jpeg(self) -> None:
        smooth = np.tile(np.linspace(40, 200, 64).astype(np.uint8)[None, :, None], (64, 1, 3))
        picture = read_picture(encoded(smooth, "JPEG", quality=95), "p")
        self.assertLess(float(np.abs(picture.pixels - decode_srgb(smooth)).max()), 0.02)

    def test_every_kind_of_jpeg_is_what_pillow_makes_of_it(self) -> None:
        photograph = np.asarray(Image.fromarray(RGB).resize((157, 101), Image.Resampling.BICUBIC))
        kinds = [
            encoded(photograph, "JPEG", quality=quality, subsampling=sampling, progressive=progressive)
            for quality in (30, 95) for sampling in (0, 1, 2) for progressive in (False, True)
        ]  # fmt: skip
        kinds += [
            encoded(photograph[..., 0], "JPEG", quality=90),
            encoded(photograph, "JPEG", quality=90, keep_rgb=True),
            encoded(photograph, "JPEG", quality=90, restart_marker_rows=2),
        ]
        # What fills up a file, or goes on after the picture, is no part of it.
        kinds += [kinds[0] + bytes(20), kinds[0] + b"more of the camera's", kinds[0] + kinds[1]]
        for number, data in enumerate(kinds):
            with self.subTest(number), Image.open(io.BytesIO(data)) as image:
                codes = np.asarray(image)
                held = read_picture(data, "p").held
                np.testing.assert_array_equal(held, codes if codes.ndim == 3 else np.dstack([codes] * 3))

    def test_a_jpeg_cut_short_is_refused_wherever_it_ends(self) -> None:
        data = encoded(np.asarray(Image.fromarray(RGB).resize((157, 101))), "JPEG", quality=90)
        for length, rest in ((len(data) // 2, b""), (len(data) // 2, bytes(20)), (len(data) - 3, b"")):
            with self.subTest(length=length, rest=rest), self.assertRaisesRegex(UnreadableFile, "cut short"):
                read_picture(data[:length] + rest, "p")


def exr(channels: dict[str, np.ndarray], **header: object) -> bytes:
    with tempfile.NamedTemporaryFile(suffix=".exr") as file:
        with OpenEXR.File(
            {"type": OpenEXR.scanlineimage, "compression": OpenEXR.ZIP_COMPRESSION, **header}, channels
        ) as made:
            made.write(file.name)
        return file.read()


class ExrTest(unittest.TestCase):
    def test_half_and_float_are_exact(self) -> None:
        for dtype, bits in ((np.float16, 16), (np.float32, 32)):
            values = (RNG.random((12, 9, 3)) * 4).astype(dtype)
            picture = read_picture(exr({"RGB": values}), "p.exr")
            np.testing.assert_array_equal(picture.pixels, values.astype(np.float32))
            self.assertEqual((picture.bits, picture.floating, picture.format), (bits, True, "exr"))

    def test_one_channel_and_alpha(self) -> None:
        height = RNG.random((8, 8)).astype(np.float32)
        np.testing.assert_array_equal(read_picture(exr({"Y": height}), "p").pixels[..., 1], height)
        rgba = RNG.random((8, 8, 4)).astype(np.float32)
        picture = read_picture(exr({"RGBA": rgba}), "p")
        np.testing.assert_array_equal(picture.alpha, rgba[..., 3])

    def test_odd_values(self) -> None:
        values = np.full((4, 4, 3), np.nan, np.float32)
        values[1:] = -2
        picture = read_picture(exr({"RGB": values}), "p")
        self.assertEqual(float(np.abs(picture.pixels).max()), 0)
        self.assertEqual(len(picture.notes), 2)

    def test_damage(self) -> None:
        whole = exr({"RGB": RNG.random((32, 32, 3)).astype(np.float16)})
        for data in (whole[:40], whole[: len(whole) // 2]):
            with self.assertRaises(UnreadableFile):
                read_picture(data, "cut.exr")


class RawTest(unittest.TestCase):
    def test_grey_card_comes_out_neutral_and_linear(self) -> None:
        """A grey card under a coloured light: DNG says what neutral looks like, so the card is grey at its own light."""
        neutral = (0.5, 1.0, 0.7)
        light = 0.18
        mosaic = np.zeros((64, 96))
        mosaic[0::2, 0::2], mosaic[1::2, 1::2] = neutral[0], neutral[2]
        mosaic[0::2, 1::2] = mosaic[1::2, 0::2] = neutral[1]
        picture = read_picture(dng((200 + 60_000 * light * mosaic).astype(np.uint16), neutral), "card.dng")
        middle = picture.pixels[16:48, 24:72].mean(axis=(0, 1))
        self.assertEqual((picture.format, picture.bits, picture.pixels.shape), ("raw", 16, (64, 96, 3)))
        np.testing.assert_allclose(middle / middle[1], 1, atol=0.02)
        self.assertIn("white balance", " ".join(picture.notes))

    def test_twice_the_light_is_twice_the_number(self) -> None:
        means = []
        for light in (0.1, 0.2):
            mosaic = np.full((64, 64), 200 + 60_000 * light, np.uint16)
            means.append(float(read_picture(dng(mosaic, (1.0, 1.0, 1.0)), "a.dng").pixels[16:48, 16:48].mean()))
        self.assertAlmostEqual(means[1] / means[0], 2, delta=0.02)

    def test_a_plain_tiff_is_no_raw(self) -> None:
        self.assertEqual(read_picture(tiff(RGB, photometric="rgb"), "p.tif").format, "tiff")

    def test_developed_for_another_light(self) -> None:
        neutral = (0.5, 1.0, 0.7)
        mosaic = np.full((64, 96), 0.18)
        data = dng((200 + 60_000 * mosaic).astype(np.uint16), neutral)
        shown = {}
        for white in ("as_shot", "daylight", "average"):
            picture = read_picture(data, "card.dng", develop=Develop(white=white))
            shown[white] = picture.pixels[16:48, 24:72].mean((0, 1))
        # The camera said red is half as sensitive, so equal numbers are too red as shot; on average they are grey.
        self.assertGreater(shown["as_shot"][0] / shown["as_shot"][1], 1.5)
        np.testing.assert_allclose(shown["average"] / shown["average"][1], 1, atol=0.05)
        self.assertGreater(float(np.abs(shown["daylight"] / shown["as_shot"] - 1).max()), 0.05)

    def test_burnt_out_places_are_cut_or_rebuilt(self) -> None:
        """Green ran over where red and blue still hold: cut it is too low for them, rebuilt it rises above."""
        light = np.full((64, 96), 0.2)
        burnt = light[:, 32:64]
        burnt[0::2, 0::2], burnt[1::2, 1::2] = 0.45, 0.6
        burnt[0::2, 1::2] = burnt[1::2, 0::2] = 1.1
        data = dng((200 + 60_000 * light).clip(0, 65_535).astype(np.uint16), (0.5, 1.0, 0.7))
        cut, rebuilt = (
            read_picture(data, "card.dng", develop=Develop(highlights=way)).pixels[20:44, 40:56].mean((0, 1))
            for way in ("cut", "rebuild")
        )
        self.assertAlmostEqual(float(cut[1]), 1, delta=0.01)
        self.assertGreater(float(rebuilt[1] / rebuilt[0]), 1.05 * float(cut[1] / cut[0]))

    def test_damaged(self) -> None:
        whole = dng(np.full((64, 64), 900, np.uint16), (1.0, 1.0, 1.0))
        with self.assertRaises(UnreadableFile):
            read_picture(whole[:300], "cut.dng")


class ModelTest(unittest.TestCase):
    def test_grey_palette_bits_and_alpha(self) -> None:
        grey = Image.fromarray(RGB[..., 0])
        for image in (
            grey,
            grey.convert("LA"),
            grey.convert("P"),
            grey.convert("1"),
            Image.fromarray(RGB).convert("RGBA"),
            Image.fromarray(RGB).quantize(16),
        ):
            stream = io.BytesIO()
            image.save(stream, "PNG")
            picture = read_picture(stream.getvalue(), "p")
            np.testing.assert_array_equal(picture.pixels, decode_srgb(np.asarray(image.convert("RGB"))))

    def test_alpha_is_kept(self) -> None:
        rgba = np.dstack([RGB, RNG.integers(0, 256, RGB.shape[:2], np.uint8)])
        picture = read_picture(encoded(rgba), "p")
        assert picture.alpha is not None
        np.testing.assert_allclose(picture.alpha, rgba[..., 3] / 255, atol=1e-6)

    def test_alpha_that_was_multiplied_in_is_divided_out(self) -> None:
        # TIFF 6.0, ExtraSamples 1: associated alpha.
        straight = np.zeros((16, 20, 4), np.uint16)
        straight[...] = (50_000, 20_000, 1_000, 30_000)
        straight[:, :4, 3] = 0
        share = straight[..., 3:] / 65_535
        stored = np.concatenate([(straight[..., :3] * share).round().astype(np.uint16), straight[..., 3:]], -1)
        picture = read_picture(tiff(stored, photometric="rgb", extrasamples=["assocalpha"]), "p")
        found = picture.pixels[:, 4:]
        np.testing.assert_allclose(
            found, np.broadcast_to(srgb_to_linear(straight[0, 5, :3] / 65_535), found.shape), atol=5e-5
        )
        plain = read_picture(tiff(stored, photometric="rgb", extrasamples=["unassalpha"]), "p")
        np.testing.assert_allclose(plain.pixels[0, 5], srgb_to_linear(stored[0, 5, :3] / 65_535), atol=1e-6)

    def test_cmyk_is_converted(self) -> None:
        stream = io.BytesIO()
        Image.fromarray(RGB).convert("CMYK").save(stream, "JPEG", quality=95)
        self.assertIn("CMYK", " ".join(read_picture(stream.getvalue(), "p").notes))

    def test_animated_and_many_pages_take_the_first(self) -> None:
        pages = tiff(np.stack([RGB, 255 - RGB]), photometric="rgb")
        picture = read_picture(pages, "p")
        np.testing.assert_array_equal(picture.pixels, decode_srgb(RGB))
        self.assertTrue(any("first of" in note for note in picture.notes))

    def test_orientation_tag(self) -> None:
        # Exif 2.32, tag 0x0112: 6 says that the stored rows are the picture's columns from the right.
        for value, wanted in ((3, RGB[::-1, ::-1]), (6, np.rot90(RGB, -1)), (8, np.rot90(RGB)), (2, RGB[:, ::-1])):
            exif = Image.Exif()
            exif[0x0112] = value
            picture = read_picture(encoded(RGB, "PNG", exif=exif), "p")
            np.testing.assert_array_equal(picture.pixels, decode_srgb(np.ascontiguousarray(wanted)), str(value))

    def test_profile_is_converted(self) -> None:
        # A linear-light profile: codes are light already. Built by LittleCMS through Pillow is not offered, so a
        # gamma 1.0 profile comes from imagecodecs.
        profile = imagecodecs.cms_profile("rgb", whitepoint=(0.3127, 0.329, 1.0), gamma=1.0,
                                          primaries=(0.64, 0.33, 1, 0.3, 0.6, 1, 0.15, 0.06, 1))  # fmt: skip
        picture = read_picture(encoded(RGB, "PNG", icc_profile=bytes(profile)), "p")
        self.assertLess(float(np.abs(picture.pixels - RGB / 255).max()), 0.01)
        srgb = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
        np.testing.assert_allclose(
            read_picture(encoded(RGB, "PNG", icc_profile=srgb), "p").pixels, decode_srgb(RGB), atol=2e-3
        )

    def test_damaged_profile_is_said_and_ignored(self) -> None:
        picture = read_picture(encoded(RGB, "PNG", icc_profile=b"nonsense" * 40), "p")
        np.testing.assert_array_equal(picture.pixels, decode_srgb(RGB))


def png_header(width: int, height: int) -> bytes:
    body = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    chunk = struct.pack(">I", 13) + b"IHDR" + body + struct.pack(">I", zlib.crc32(b"IHDR" + body))
    data = zlib.compress(b"\0" * 100)
    return (
        b"\x89PNG\r\n\x1a\n"
        + chunk
        + struct.pack(">I", len(data))
        + b"IDAT"
        + data
        + struct.pack(">I", zlib.crc32(b"IDAT" + data))
    )


class BadFileTest(unittest.TestCase):
    def test_refused_with_the_reason(self) -> None:
        whole = encoded(RGB, "JPEG")
        for name, data in {
            "empty": b"",
            "text": b"hello, this is no picture",
            "gif": b"GIF89a" + b"\0" * 40,
            "cut jpeg": whole[: len(whole) // 2],
            "cut png": encoded(RGB)[:60],
            "cut tiff": tiff(RGB, photometric="rgb")[:200],
            "tiff of nothing": b"II*\0\x08\0\0\0\0\0\0\0\0\0",
            "webp of nothing": b"RIFF\0\0\0\0WEBPVP8 ",
            "header alone": b"\x89PNG\r\n\x1a\n",
        }.items():
            with self.subTest(name=name), self.assertRaises(UnreadableFile) as caught:
                read_picture(data, "scan.bin")
            self.assertIn("scan.bin", caught.exception.message)
            self.assertTrue(caught.exception.remedy)

    def test_too_large_is_refused_before_decoding(self) -> None:
        for width, height in ((20_000, 20_000), (70_000, 10)):
            with self.subTest(width=width), self.assertRaises(TooLarge) as caught:
                read_picture(png_header(width, height), "huge.png")
            self.assertIn("200", caught.exception.remedy)

    def test_random_damage_never_gets_through(self) -> None:
        """Flipped bytes either still decode or are refused with our own error."""
        rng = np.random.default_rng(5)
        for source in (
            encoded(RGB),
            encoded(RGB, "JPEG"),
            tiff(RGB, photometric="rgb", compression="zlib"),
            encoded(RGB, "WEBP"),
            exr({"RGB": RNG.random((24, 24, 3)).astype(np.float16)}),
            dng(np.full((64, 64), 900, np.uint16), (1.0, 1.0, 1.0)),
        ):
            for _ in range(60):
                data = bytearray(source)
                for at in rng.integers(8, len(data), 4):
                    data[at] = int(rng.integers(0, 256))
                try:
                    picture = read_picture(bytes(data), "damaged")
                except (UnreadableFile, TooLarge):
                    continue
                self.assertTrue(np.isfinite(picture.pixels).all())
