"""Real photographs must tile: figures before and after Tile, the same pixels in every map."""

import unittest

import cv2
import numpy as np

from amber_thicket.core.check.figures import coded, seam
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.numeric.colour import encode_srgb8
from amber_thicket.core.registry import BY_ID
from amber_thicket.core.square.propose import propose
from amber_thicket.core.synthesis.tile_plan import render, source_of
from amber_thicket.service.broken import broken_by_joins
from amber_thicket.service.tiling import suggestion
from tests.support import evaluation, frame, linear_photograph, psnr, size_of, squared_up

SIDE = 512


def tiled(name: str, **changes: object) -> tuple[Evaluation, np.ndarray, np.ndarray]:
    """(evaluation, base colour, evened sample) of a photograph at SIDE."""
    ready = evaluation(linear_photograph(name), **{**size_of(SIDE), "tile__join__method": "cut", **changes})
    size = (SIDE, SIDE)
    return ready, ready.layer("base_color", size).pixels, ready.layer("evened", size).pixels


class SeamTest(unittest.TestCase):
    def test_cut_closes_real_photographs(self) -> None:
        # QUALITY: untreated photographs lie at 15-130; under 4 passes. Photographs: scikit-image, CC0.
        for name in ("gravel", "grass"):
            _, tile, sample = tiled(name)
            with self.subTest(name=name):
                before = max(seam(coded(sample, "base_color"), axis=axis).border for axis in (0, 1))
                self.assertGreater(before, 10)
            for axis in (0, 1):
                with self.subTest(name=name, axis=axis):
                    after = seam(coded(tile, "base_color"), axis=axis)
                    own = max(seam(coded(sample, "base_color"), axis=axis).inner, 3.0)
                    self.assertLess(after.border, 4)
                    self.assertLess(after.inner, 1.5 * own)

    def test_every_map_closes(self) -> None:
        ready, _, _ = tiled("gravel")
        for role in ("height", "normal", "roughness", "ambient_occlusion"):
            values = coded(ready.layer(role, (SIDE, SIDE)).pixels, role)
            for axis in (0, 1):
                self.assertTrue(seam(values, axis=axis).passes, (role, axis))

    def test_join_mismatch(self) -> None:
        # QUALITY: along the joins at most .45 of the mismatch of random places. Photographs: scikit-image, CC0.
        for name in ("gravel", "grass"):
            pixels = linear_photograph(name)
            found = suggestion(evaluation(pixels, **size_of(SIDE)))
            ready = evaluation(pixels, **size_of(SIDE), **found.changes)
            plan = ready.decided(BY_ID["tile.join"])
            if "whole" in plan.evidence:
                # Along a joint both sides differ, and should: what counts is that none runs through a stone.
                self.assertLessEqual(broken_by_joins(ready)["share"], 0.01)
                continue
            self.assertLessEqual(plan.evidence["join_mismatch"], 0.45, (name, found.method))

    def test_bricks_that_fan_out_tile_once_they_are_squared(self) -> None:
        # FINDINGS: a fanning brick photograph tiles with no visible join after it is squared and cut to its lattice.
        # Photograph: scikit-image, CC0. QUALITY: mismatch of a lattice at most .15, its prominence at least .3.
        pixels = linear_photograph("brick")
        found = suggestion(evaluation(pixels, **size_of(SIDE)))
        self.assertTrue(found.square_first)
        self.assertEqual(found.changes, {})
        corners = squared_up(propose(pixels))
        found = suggestion(evaluation(pixels, **size_of(SIDE), **corners))
        self.assertEqual((found.method, found.square_first), ("lattice", False))
        ready = evaluation(pixels, **size_of(SIDE), **corners, **found.changes)
        self.assertLessEqual(ready.decided(BY_ID["tile.join"]).evidence["join_mismatch"], 0.15)
        tile = ready.layer("base_color", (SIDE, SIDE)).pixels
        self.assertTrue(all(seam(coded(tile, "base_color"), axis=axis).passes for axis in (0, 1)))

    def test_no_stretch_and_no_tile_without_a_method(self) -> None:
        ready = evaluation(
            linear_photograph("grass"), **size_of(SIDE), tile__join__method="none", even__light__amount=0
        )
        tile = ready.layer("base_color", (SIDE, SIDE)).pixels
        np.testing.assert_array_equal(tile, ready.layer("squared", (SIDE, SIDE)).pixels)


class SynchronyTest(unittest.TestCase):
    def test_identity_map_follows_the_plan(self) -> None:
        """Coordinates sent through the plan come out as the plan's own account of its sources."""
        ready, _, sample = tiled("gravel")
        plan = ready.decided(BY_ID["tile.join"])
        planned = (plan.labels.shape[1], plan.labels.shape[0])
        rows, columns = ready.sizes(planned).work.height, ready.sizes(planned).work.width
        y, x = np.mgrid[0:rows, 0:columns].astype(np.float32)
        identity = np.stack([x, y], -1)
        height, width = plan.labels.shape
        full = [cv2.resize(np.moveaxis(band, 0, -1), (width, height)) for band in plan.shares]
        hard = np.min([band.max(axis=-1) for band in full], axis=0) > 0.99999
        out = render(plan, identity, planned)
        named = source_of(plan, planned, (columns, rows))
        np.testing.assert_allclose(out[hard], named[hard], atol=0.51)
        self.assertGreater(float(hard.mean()), 0.4)

    def test_one_plan_for_every_layer(self) -> None:
        """A layer that is a function of the colour stays that function after tiling, pixel by pixel."""
        ready, tile, sample = tiled("grass")
        plan = ready.decided(BY_ID["tile.join"])
        doubled = render(plan, np.ascontiguousarray(sample[..., 0]) * 2 + 1, (SIDE, SIDE))
        np.testing.assert_allclose(np.maximum(doubled - 1, 0) / 2, tile[..., 0], atol=2e-3)


class PreviewTest(unittest.TestCase):
    def test_preview_equals_the_shrunk_bake(self) -> None:
        """The bake shrunk to preview size against the preview: QUALITY asks colour PSNR ≥ 38 dB, normal ≤ 2°."""
        # A photograph enlarged four times carries no finer detail, so that both sizes hold the same picture.
        photo = cv2.resize(linear_photograph("gravel"), (2048, 2048), interpolation=cv2.INTER_CUBIC).clip(0, 1)
        ready = evaluation(photo, **size_of(2048))
        large, small = (2048, 2048), (768, 768)
        bake = cv2.resize(ready.layer("base_color", large).pixels, small, interpolation=cv2.INTER_AREA)
        preview = ready.layer("base_color", small).pixels
        self.assertGreaterEqual(psnr(encode_srgb8(bake), encode_srgb8(preview)), 38)
        coarse = cv2.resize(ready.layer("normal", large).pixels, small, interpolation=cv2.INTER_AREA)
        coarse /= np.linalg.norm(coarse, axis=-1, keepdims=True)
        cosine = np.clip((coarse * ready.layer("normal", small).pixels).sum(-1), -1, 1)
        self.assertLessEqual(float(np.median(np.degrees(np.arccos(cosine)))), 2)
        height = cv2.resize(ready.layer("height", large).pixels, small, interpolation=cv2.INTER_AREA)
        self.assertLess(float(np.abs(height - ready.layer("height", small).pixels).mean()), 0.02)

    def test_frames_of_a_non_square_tile(self) -> None:
        ready = evaluation(linear_photograph("brick"), square__size__width=512, square__size__height=256)
        self.assertEqual(ready.layer("base_color", (512, 256)).pixels.shape, (256, 512, 3))
        self.assertEqual(frame(8, 4).height, 4)
