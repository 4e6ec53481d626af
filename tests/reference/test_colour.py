"""Colour mathematics against published values and reference libraries."""

import unittest

import colour
import numpy as np
import skimage.color

from amber_thicket.core.numeric import colour as ours


class SrgbTest(unittest.TestCase):
    def test_published_values(self) -> None:
        # IEC 61966-2-1: threshold 0.04045 <-> 0.0031308; code 188 is about half the light (from memory: 0.50289).
        self.assertAlmostEqual(float(ours.srgb_to_linear(np.array(0.04045))), 0.0031308, places=6)
        self.assertAlmostEqual(float(ours.srgb_to_linear(np.array(188 / 255))), 0.50289, places=4)
        self.assertAlmostEqual(float(ours.linear_to_srgb(np.array(0.18))) * 255, 117.64, places=1)

    def test_against_reference_library(self) -> None:
        # colour-science, models.rgb.transfer_functions.srgb.
        codes = np.linspace(0, 1, 1001)
        np.testing.assert_allclose(ours.srgb_to_linear(codes), colour.models.eotf_sRGB(codes), atol=1e-7)
        np.testing.assert_allclose(ours.linear_to_srgb(codes), colour.models.eotf_inverse_sRGB(codes), atol=1e-6)

    def test_tables_round_trip_every_code(self) -> None:
        for dtype, top in ((np.uint8, 255), (np.uint16, 65535)):
            codes = np.arange(top + 1, dtype=dtype)[None, :]
            back = np.rint(ours.encode_srgb(ours.decode_srgb(codes)) * top).astype(dtype)
            np.testing.assert_array_equal(back, codes)

    def test_eight_bit_encoder_agrees_with_the_formula(self) -> None:
        light = np.random.default_rng(1).random((64, 64, 3), np.float32)
        wanted = np.rint(ours.linear_to_srgb(light) * 255)
        self.assertLessEqual(float(np.abs(ours.encode_srgb8(light) - wanted).max()), 1)
        self.assertLess(float(np.mean(ours.encode_srgb8(light) != wanted)), 1e-3)

    def test_values_between_codes_go_back_by_the_curve_and_on_beyond_it(self) -> None:
        values = np.linspace(-0.2, 3.0, 200_001).astype(np.float32)
        wanted = np.where(values > 0, colour.models.eotf_sRGB(np.maximum(values, 0)), 0)
        found = ours.linear_of_coded(values)
        self.assertLess(float(np.abs(found - wanted)[values <= 1].max()), 1.2e-7)
        np.testing.assert_allclose(found, wanted, rtol=1e-6, atol=1e-7)
        self.assertEqual(float(ours.linear_of_coded(np.float32([np.nan]))[0]), 0.0)

    def test_not_a_number_and_beyond(self) -> None:
        light = np.array([[np.nan, -1, 2, np.inf]], np.float32)
        np.testing.assert_array_equal(ours.encode_srgb8(light), [[0, 0, 255, 255]])


class LabTest(unittest.TestCase):
    def test_luminance_weights(self) -> None:
        # ITU-R BT.709-6, item 3.2.
        white = ours.luminance(np.eye(3, dtype=np.float32)[None])
        np.testing.assert_allclose(white, [[0.2126, 0.7152, 0.0722]], atol=1e-6)

    def test_lab_against_reference_library(self) -> None:
        # scikit-image, color.rgb2lab (D65, 2 degrees).
        codes = np.random.default_rng(2).random((32, 32, 3))
        wanted = skimage.color.rgb2lab(codes)
        found = ours.linear_to_lab(ours.srgb_to_linear(codes).astype(np.float32))
        self.assertLess(float(np.abs(found - wanted).max()), 0.05)
