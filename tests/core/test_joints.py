"""The method Joints: no piece is cut, few are trimmed, all maps lie on each other, at any size."""

import unittest
from dataclasses import replace
from unittest import mock

import cv2
import numpy as np
from scipy import sparse

from amber_thicket.core.check.figures import coded, seams
from amber_thicket.core.graph import Evaluation
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.vectors import unit
from amber_thicket.core.raster import Pixels, Raster
from amber_thicket.core.registry import BY_ID
from amber_thicket.core.shading.slope import slopes
from amber_thicket.core.strokes import Stroke
from amber_thicket.core.synthesis.framing import Framing, framed
from amber_thicket.core.synthesis.mosaic import Mosaic
from amber_thicket.core.tile.broken_pieces import FusedPlaces
from amber_thicket.core.tile.join import Settings, join, pieces_in
from amber_thicket.core.tile.joints.arrange import Brushed, _Frame, _Laid, _promising
from amber_thicket.core.tile.joints.depth import depth_field
from amber_thicket.core.tile.joints.paths import cheapest_path, closed_side, open_side
from amber_thicket.core.tile.joints.score import Outcome, trimmed_pieces
from amber_thicket.core.tile.joints.steps import find_step_pairs
from amber_thicket.core.tile.pieces import Reading, centred, find_pieces
from amber_thicket.service.broken import broken_by_joins, pieces_of_sample, plan_places
from amber_thicket.service.tiling import suggestion
from amber_thicket.standins.capture_rig.kinds import KINDS
from amber_thicket.standins.capture_rig.piecewise_kinds import PIECEWISE
from tests.pieces import SIDE, fused_joins, piecewise, plan_of, ready, touching_joins, truly_broken
from tests.support import evaluation, linear_photograph, photographed, rig_surface, size_of


def veined(seed: int, side: int = 900) -> Pixels:
    """Pale stone with strong, dark veins that part it into few, uneven fields."""
    rng = np.random.default_rng(seed)
    field = np.zeros((side, side), np.float32)
    for wide, much in ((120, 1.0), (60, 0.5), (30, 0.25), (15, 0.12)):
        part = blur(rng.normal(size=(side, side)).astype(np.float32), wide, wraps=False)
        field += np.float32(much) * part / part.std()
    veins = np.exp(-np.abs(np.sin(field * 2.2)) / 0.05) + 0.5 * np.exp(-np.abs(np.sin(field * 5 + 1)) / 0.04)
    grain = 0.12 * blur(rng.normal(size=(side, side)).astype(np.float32), 2, wraps=False)
    stone = (0.6 + grain) * (1 - 0.6 * veins.clip(0, 1))
    return np.ascontiguousarray(stone[..., None] * np.float32([1, 0.97, 0.93]), np.float32).clip(0.02, 1)


class BrokenTest(unittest.TestCase):
    def test_hardly_a_join_lies_within_pieces_by_the_benchs_own(self) -> None:
        # Rubble, slabs, slates of unequal widths, leaves: their pieces are known. A cut runs through them; a trimmed
        # stone may touch its neighbour for some px.
        for kind in PIECEWISE:
            with self.subTest(kind):
                joints, cut = truly_broken(kind, ready(kind)), truly_broken(kind, ready(kind, tile__join__method="cut"))
                self.assertEqual((joints.count, joints.share), (0, 0), joints)
                self.assertGreater(cut.share, 0.08)

    def test_hardly_a_stone_touches_another_without_a_joint(self) -> None:
        # Shares of the joins, by the bench's own joints; with borders at one edge of the joints .234, .206 and .153.
        for kind, seed, most in (("crazy_paving", 5, 0.05), ("uneven_slates", 3, 0.06), ("uneven_slates", 5, 0.07)):
            with self.subTest(kind, seed=seed):
                self.assertLess(touching_joins(kind, ready(kind, seed), seed), most)

    def test_few_are_trimmed_and_edges_meet(self) -> None:
        for kind in ("crazy_paving", "uneven_slates"):
            one = ready(kind)
            told = plan_of(one).evidence
            with self.subTest(kind):
                self.assertLess(told["trimmed"] + told["strips"], 0.3 * told["pieces"])
                figures = seams(coded(one.layer("base_color", (SIDE, SIDE)).pixels, "base_color"))
                self.assertTrue(all(figure.passes for figure in figures), figures)

    def test_rows_that_lie_aslant_need_no_squaring(self) -> None:
        lit, _ = piecewise("uneven_slates")
        side = lit.shape[0]
        turn = cv2.getRotationMatrix2D((side / 2, side / 2), 2.0, 1.0)
        turned = cv2.warpAffine(lit, turn, (side, side), flags=cv2.INTER_CUBIC)[40:-40, 40:-40].clip(0)
        one = evaluation(np.ascontiguousarray(turned), **size_of(SIDE), tile__join__method="joints")
        plan = plan_of(one)
        self.assertEqual(plan.evidence["broken"], 0)
        self.assertIsNotNone(plan.framing)
        assert plan.framing is not None
        across = plan.framing.matrix[:, 0]
        self.assertAlmostEqual(float(np.degrees(np.arctan2(across[1], across[0]))), -2.0, delta=0.8)


class LedRoundTest(unittest.TestCase):
    def test_joins_are_led_round_what_they_would_fuse(self) -> None:
        # As they are laid at first, and led round: nothing comes out worse, and most of what was broken is whole. Between
        # borders that are centred fewer are broken at first.
        for kind, middle, at_first, led in (
            ("rubble_wall", False, 12, 0), ("rubble_wall", True, 4, 0), ("fallen_leaves", False, 5, 1),
        ):  # fmt: skip
            pixels = cv2.resize(piecewise(kind)[0], (SIDE, SIDE), interpolation=cv2.INTER_AREA)
            pieces = find_pieces(pixels)
            field, broken = depth_field(centred(pieces, Reading.joint) if middle else pieces), np.zeros(2, int)
            for pair in find_step_pairs(field, (376, 376), 8):
                placed = _Frame.of(field, pair, (376, 376))
                assert placed is not None
                before = _Laid.at(field, pair, placed, 1.0, Brushed())
                after = before.rerouted(4)
                broken += before.outcome.broken, after.outcome.broken
                self.assertLessEqual(after.outcome.cost(1.0), before.outcome.cost(1.0))
            with self.subTest(kind):
                self.assertGreaterEqual(broken[0], at_first)
                self.assertLessEqual(broken[1], led)

    def test_the_next_best_are_led_round_too(self) -> None:
        # Those a user steps to after the first, by the bench's own pieces; by those that are found, one of all of them
        # breaks one. Fallen leaves broke from the third on, when only those that could have come first were led round.
        found = []
        for kind in PIECEWISE:
            for rank in range(1, 5):
                one = ready(kind, tile__join__rank=rank)
                self.assertEqual(truly_broken(kind, one).count, 0, (kind, rank))
                found.append(plan_of(one).evidence["broken"])
        self.assertLessEqual(sum(found), 1, found)

    def test_what_nearly_breaks_counts(self) -> None:
        found = Outcome(0, 0, 3, 4, 50, 0.5, 0.3, 0.0)
        self.assertAlmostEqual(replace(found, nearly=2).cost(1.0) - found.cost(1.0), 4.0)
        self.assertAlmostEqual(replace(found, broken=1).cost(1.0) - found.cost(1.0), 8.0)

    def test_half_as_far_as_a_break_is_nearly_one(self) -> None:
        # A break is .15 of a piece long, here 15 px.
        for length, count in ((7, 0), (8, 1), (40, 1)):
            bad = np.zeros((64, 64), bool)
            bad[10 : 10 + length, 20] = True
            places = np.zeros((64, 64, 2))
            marked, found = FusedPlaces(bad, places, places, length, 100.0).nearly_broken()
            self.assertEqual((found, int(marked.sum())), (count, count * length))

    def test_most_are_laid_as_they_come_out_and_some_for_their_size(self) -> None:
        # Of twenty the cheapest seven, and of the others those that leave out least of the sample.
        lost = [0.5] * 10 + [0.9] * 7 + [0.1] * 3
        rough = [mock.Mock(steps=n, outcome=Outcome(n, 0, 0, 0, 50, 0.0, part, 0.0)) for n, part in enumerate(lost)]
        self.assertEqual(_promising(rough), [0, 1, 2, 3, 4, 5, 6, 7, 8, 9])
        for one in rough[17:]:
            one.outcome = replace(one.outcome, broken=9)
        self.assertEqual(_promising(rough)[7:], [17, 18, 19])

    def test_the_plan_tells_what_the_laid_tile_breaks(self) -> None:
        told = []
        for kind in ("rubble_wall", "crazy_paving"):
            for rank in range(1, 5):
                one = ready(kind, tile__join__rank=rank)
                told.append((plan_of(one).evidence["broken"], broken_by_joins(one)["count"]))
        self.assertEqual([own for own, _ in told], [laid for _, laid in told])
        self.assertLessEqual(sum(laid for _, laid in told), 1)


class NarrowTest(unittest.TestCase):
    def test_the_joint_round_a_piece_is_no_strip_of_it(self) -> None:
        # Two pieces of 60 × 60 px; of the right one a tile shows 4 px: those at its border, or from within.
        labels = np.repeat(np.repeat(np.arange(2, dtype=np.int32)[None], 60, 1), 60, 0)
        x = np.arange(120) % 60
        near = np.minimum(np.minimum(x + 1, 60 - x)[None], np.minimum(np.arange(60) + 1, 60 - np.arange(60))[:, None])
        near = near.astype(np.float32)
        for first, strips in ((60, 0), (85, 1)):
            columns = np.r_[0:54, first : first + 4]
            left = trimmed_pieces(labels, near, 2.0, 60.0, labels[:, columns], near[:, columns])
            self.assertEqual(left.strips, strips, first)
            # Without being told how far in they lie, both count.
            self.assertEqual(trimmed_pieces(labels, near, 2.0, 60.0, labels[:, columns]).strips, 1)


class ChannelTest(unittest.TestCase):
    def test_large_tiles_are_laid_channel_by_channel_with_the_same_pixels(self) -> None:
        for method in ("cut", "joints", "regrow"):
            one = ready("crazy_paving", tile__join__method=method)
            colour, size = one.layer("evened", (SIDE, SIDE)).pixels, one.sizes((SIDE, SIDE)).tile
            slopes_ = np.dstack([colour[..., 0] - 0.3, colour[..., 1] - 0.3, np.ones_like(colour[..., 0])])
            for layer in (Raster(colour), Raster(unit(np.float32(slopes_)), vectors=True)):
                laid = []
                for least in (1e9, 1):
                    with mock.patch("amber_thicket.core.tile.join._BY_CHANNEL", least):
                        laid.append(join(layer, frame=size, decided=plan_of(one)).pixels)
                with self.subTest(method=method, vectors=layer.vectors):
                    np.testing.assert_array_equal(*laid)

    def test_how_large_is_told_by_what_is_looked_at(self) -> None:
        # Through its frame a tile is looked at with its overlaps, nearly twice as large as itself.
        one = ready("crazy_paving")
        size, plan = one.sizes((SIDE, SIDE)).tile, plan_of(one)
        assert plan.framing is not None
        width, height = plan.framing.extent((SIDE, SIDE))
        self.assertGreater(width * height, SIDE * SIDE)
        for least, rounds in ((width * height, 3), (width * height + 1, 1)):
            with (
                mock.patch("amber_thicket.core.tile.join._BY_CHANNEL", least),
                mock.patch("amber_thicket.core.tile.join.framed", wraps=framed) as looked,
            ):
                join(one.layer("evened", (SIDE, SIDE)), frame=size, decided=plan)
            self.assertEqual(looked.call_count, rounds)


class LeftOutTest(unittest.TestCase):
    def test_what_is_left_out_is_replaced_by_whole_pieces_of_the_sample(self) -> None:
        # Small tiles have wide overlaps, in which joins run beyond the middle of the tile.
        free = ready("uneven_slates", tile__join__larger=0.0)
        size = (SIDE, SIDE)
        work, part = free.sizes(size).work, free.sizes(size).tile.part
        # What every tile of more than half of the sample shows.
        at, middle = [(part[0] + part[2]) / 2, (part[1] + part[3]) / 2], np.array([work.width, work.height]) / 2
        brushed = [{"radius": 0.03, "points": [at, at]}]
        one = ready("uneven_slates", tile__join__larger=0.0, tile__join__excluded=brushed)
        self.assertIsInstance(plan_of(one), Mosaic)
        shown = plan_places(one, size)
        assert shown is not None
        # What no copy covered would be black.
        black = [float((each.layer("base_color", size).pixels.mean(axis=2) < 0.005).mean()) for each in (free, one)]
        self.assertLess(black[1], black[0] + 0.005)
        away = np.hypot(*((shown - middle) / work.width).transpose(2, 0, 1))
        self.assertLess(float((away < 0.025).mean()), 1e-4)
        self.assertLess(truly_broken("uneven_slates", one).share, 0.03)


class ChoiceTest(unittest.TestCase):
    def test_next_best_and_larger_choose_among_what_was_laid(self) -> None:
        one = ready("crazy_paving")
        first = plan_of(one).evidence
        larger = plan_of(ready("crazy_paving", tile__join__larger=100.0)).evidence
        smaller = plan_of(ready("crazy_paving", tile__join__larger=0.0)).evidence
        self.assertGreaterEqual(larger["span"], smaller["span"])
        wide, narrow = (plan_of(ready("rubble_wall", tile__join__larger=at)).evidence["span"] for at in (100.0, 0.0))
        self.assertGreater(wide, narrow + 0.1)
        self.assertLessEqual(
            smaller["trimmed"] + 3 * smaller["strips"], larger["trimmed"] + 3 * larger["strips"], (smaller, larger)
        )
        second = plan_of(ready("crazy_paving", tile__join__rank=2)).evidence
        self.assertEqual((first["arrangement"], second["arrangement"]), (1, 2))
        self.assertNotEqual(first["span"], second["span"])
        self.assertGreaterEqual(first["arrangements"], 4)

    def test_bend_moves_joints_and_none_does_not(self) -> None:
        bent, straight = (plan_of(ready("uneven_slates", tile__join__bend=amount)).framing for amount in (100.0, 0.0))
        assert bent is not None
        assert straight is not None
        assert bent.shifts is not None
        self.assertIsNone(straight.shifts)
        self.assertGreater(float(np.abs(bent.shifts).max()), 1e-3)
        # At most .022 of the tile, half of it on each side, along two axes.
        self.assertLess(float(np.abs(bent.shifts).max()), 0.0221)

    def test_overlaps_lay_nothing_anew_and_pieces_do(self) -> None:
        join = BY_ID["tile.join"]
        first = ready("crazy_paving")
        same = ready("crazy_paving", tile__join__overlap_x=31.0, tile__join__seed=7, tile__join__wander=40.0)
        other = ready("crazy_paving", tile__join__detail=60.0)
        key = first._made_decided_key(join)
        self.assertEqual(same._made_decided_key(join), key)
        self.assertNotEqual(other._made_decided_key(join), key)
        # A cut hangs on its overlaps, and on nothing that only pieces have.
        cuts = [
            ready("crazy_paving", tile__join__method="cut", **more)._made_decided_key(join)
            for more in ({}, {"tile__join__detail": 60.0}, {"tile__join__overlap_x": 31.0})
        ]
        self.assertEqual(cuts[0], cuts[1])
        self.assertNotEqual(cuts[0], cuts[2])

    def test_a_real_width_follows_the_steps(self) -> None:
        one = ready("crazy_paving", square__size__sample_mm=1000.0)
        span = plan_of(one).evidence["span"]
        sizes = one.sizes((SIDE, SIDE))
        self.assertAlmostEqual(one.tile_mm(sizes) or 0, 1000 * span, delta=2)
        # Depth in mm follows the same width.
        height = one.layer("height", (SIDE, SIDE))
        self.assertAlmostEqual(height.evidence["depth_mm"], height.span * 1000 * span, delta=0.02 * 1000 * height.span)

    def test_a_sample_too_small_to_look_for_steps_is_cut(self) -> None:
        noise = np.random.default_rng(2).random((40, 40, 3)).astype(np.float32)
        tile = evaluation(noise, **size_of(256), tile__join__method="joints").layer("base_color", (256, 256)).pixels
        self.assertTrue(np.isfinite(tile).all())


class PiecesTest(unittest.TestCase):
    def test_strokes_join_and_part_pieces(self) -> None:
        lit, _ = piecewise("crazy_paving")
        before = pieces_in(lit, (0, 0, 1, 1), Settings())
        middle = before.labels.shape[0] // 2
        row = before.labels[middle]
        x = int(np.flatnonzero(row[:-1] != row[1:])[3])
        wide, high = row.size, before.labels.shape[0]
        across = Stroke(radius=0.004, points=(((x - 6) / wide, middle / high), ((x + 7) / wide, middle / high)))
        joined = pieces_in(lit, (0, 0, 1, 1), Settings(one_piece=(across,)))
        self.assertEqual(joined.count, before.count - 1)
        self.assertEqual(joined.labels[middle, x - 6], joined.labels[middle, x + 7])
        whole = before.labels == np.bincount(before.labels.ravel()).argmax()
        left, top, wide_px, high_px = cv2.boundingRect(whole.astype(np.uint8))
        down = (left + wide_px / 2) / wide
        line = Stroke(radius=0.004, points=((down, (top - 2) / high), (down, (top + high_px + 2) / high)))
        parted = pieces_in(lit, (0, 0, 1, 1), Settings(split_piece=(line,)))
        self.assertGreater(parted.count, before.count)
        self.assertEqual(len(np.unique(before.labels[whole])), 1)
        self.assertGreaterEqual(len(np.unique(parted.labels[whole])), 2)

    def test_directions(self) -> None:
        lit, _ = piecewise("rubble_wall")
        counts = [
            pieces_in(lit, (0, 0, 1, 1), Settings(**changes)).count
            for changes in ({"detail": 10.0}, {"detail": 50.0}, {"detail": 90.0})
        ]
        self.assertEqual(counts, sorted(counts))
        self.assertLess(counts[0], counts[2])
        few = pieces_in(lit, (0, 0, 1, 1), Settings(smallest=60.0)).count
        self.assertLess(few, counts[1])
        # Narrow lines are joints to a narrow joint width alone.
        self.assertNotEqual(pieces_in(lit, (0, 0, 1, 1), Settings(joint_width=2.0)).count, counts[1])

    def test_defaults_are_those_of_the_figure(self) -> None:
        lit, _ = piecewise("rubble_wall")
        one, other = pieces_in(lit, (0, 0, 1, 1), Settings()), find_pieces(lit)
        self.assertLess(abs(one.count - other.count), 0.1 * other.count)


class BrushedTest(unittest.TestCase):
    def test_what_is_left_out_is_not_shown_in_any_arrangement(self) -> None:
        around = Stroke(radius=0, points=((0.4, 0.4), (0.62, 0.4), (0.62, 0.6), (0.4, 0.6)))
        for rank in (1, 3):
            one = ready("crazy_paving", tile__join__excluded=(around,), tile__join__rank=rank)
            plan = plan_of(one)
            places = plan_places(one, (SIDE, SIDE))
            work = one.sizes((SIDE, SIDE)).work
            left, top, right, bottom = one.sizes((SIDE, SIDE)).tile.part
            x = left + places[..., 0] / work.width * (right - left)
            y = top + places[..., 1] / work.height * (bottom - top)
            shown = (x > 0.405) & (x < 0.615) & (y > 0.405) & (y < 0.595)
            with self.subTest(rank=rank, kind=type(plan).__name__):
                self.assertLess(float(shown.mean()), 0.002)

    def test_no_join_runs_through_what_is_kept(self) -> None:
        plain = ready("crazy_paving")
        box = Stroke(radius=0, points=((0.05, 0.05), (0.5, 0.05), (0.5, 0.3), (0.05, 0.3)))
        for one, wanted in ((ready("crazy_paving", tile__join__kept=(box,)), True), (plain, False)):
            places = plan_places(one, (SIDE, SIDE))
            jumps = np.hypot(*np.moveaxis(np.roll(places, -1, 1) - places, -1, 0)) > 6
            jumps |= np.hypot(*np.moveaxis(np.roll(places, -1, 0) - places, -1, 0)) > 6
            work = one.sizes((SIDE, SIDE)).work
            x, y = places[..., 0] / work.width, places[..., 1] / work.height
            inside = (x > 0.06) & (x < 0.49) & (y > 0.06) & (y < 0.29)
            with self.subTest(kept=wanted):
                if wanted:
                    self.assertEqual(int((jumps & inside).sum()), 0)


class MapsTest(unittest.TestCase):
    def test_one_map_of_places_for_all_layers(self) -> None:
        # The identity map through a frame: what is looked up is where it was looked up, to the 1/32 px of the library.
        matrix = np.array([[0.93, 0.03, 0.02], [-0.02, 0.95, 0.05]])
        shifts = (0.004 * np.random.default_rng(1).standard_normal((20, 24, 2))).astype(np.float32)
        framing = Framing(matrix, (1.3, 1.2), cv2.GaussianBlur(shifts, (0, 0), 2))
        for side in (256, 512):
            y, x = np.mgrid[0 : int(1.5 * side), 0 : int(1.5 * side)].astype(np.float32)
            seen = framed(np.dstack([x, y]), framing, (side, side))
            wanted = framing.places((side, side), 0, seen.shape[0])
            np.testing.assert_allclose(seen[..., 0], wanted[0], atol=5e-2)
            np.testing.assert_allclose(seen[..., 1], wanted[1], atol=5e-2)

    def test_places_are_those_of_the_matrix_and_move_with_the_shifts(self) -> None:
        matrix = np.array([[0.93, 0.03, 0.02], [-0.02, 0.95, 0.05]])
        # The middle of the first pixel lies half a px in.
        y, x = (np.mgrid[40:90, 0:390] + 0.5) / 300
        for shift in (None, (0.01, -0.02)):
            shifts = None if shift is None else np.full((20, 24, 2), shift, np.float32)
            found = Framing(matrix, (1.3, 1.2), shifts).places((300, 300), 40, 90)
            right, down = shift or (0.0, 0.0)
            for row, place in zip(matrix, found, strict=True):
                wanted = 300 * (row[0] * (x + right) + row[1] * (y + down) + row[2]) - 0.5
                np.testing.assert_allclose(place, wanted, atol=2e-4)

    def test_normals_lean_with_the_frame(self) -> None:
        # Those of the height that was framed, within 2 degrees: turned by 12 degrees, bent, at .9 of the size.
        side = 512
        y, x = np.mgrid[0 : 2 * side, 0 : 2 * side].astype(np.float32)
        height = 9 * np.sin(x / 23) * np.cos(y / 31) + 6 * np.sin((x + y) / 41)
        turn = np.radians(12)
        linear = 0.9 * np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
        bend = 0.01 * np.sin(np.linspace(0, 6, 60, dtype=np.float32))
        shifts = np.dstack([np.broadcast_to(bend, (60, 60)), np.broadcast_to(bend[:, None], (60, 60))])
        framing = Framing(np.column_stack([linear, [0.5, 0.2]]), (1.2, 1.2), np.ascontiguousarray(shifts, np.float32))

        def normals(field: Pixels, by: float) -> Pixels:
            right, up = (slope * np.float32(by) for slope in slopes(field, wraps=False))
            flat = np.dstack([-right, -up, np.ones_like(right)])
            return np.asarray(flat / np.linalg.norm(flat, axis=-1, keepdims=True), np.float32)

        carried = framed(normals(height, 1.0), framing, (side, side), vectors=True)
        carried /= np.linalg.norm(carried, axis=-1, keepdims=True)
        # As high as before, on a grid whose pixels are .9 of the former ones.
        true = normals(framed(height, framing, (side, side)), 1 / 0.9)
        off = np.degrees(np.arccos((carried * true).sum(-1).clip(-1, 1)))[8:-8, 8:-8]
        self.assertLess(float(np.percentile(off, 99.5)), 2.0)
        plain = framed(normals(height, 1.0), framing, (side, side))
        wrong = np.degrees(np.arccos((plain * true).sum(-1).clip(-1, 1)))[8:-8, 8:-8]
        self.assertGreater(float(np.percentile(wrong, 99.5)), 6.0)

    def test_every_size_has_the_same_joins(self) -> None:
        one = ready("crazy_paving", square__size__width=1024, square__size__height=1024)
        small, large = (one.layer("base_color", (side, side)).pixels for side in (512, 1024))
        half = cv2.resize(large, (512, 512), interpolation=cv2.INTER_AREA)
        self.assertLess(float(np.abs(half - small).mean()), 0.012)
        shifted = np.abs(np.roll(half, 2, 1) - small).mean()
        self.assertGreater(float(shifted), 2 * float(np.abs(half - small).mean()))

    def test_heights_meet_in_the_joint(self) -> None:
        one = ready("crazy_paving")
        figures = seams(coded(one.layer("height", (SIDE, SIDE)).pixels, "height"))
        self.assertLess(max(figure.border for figure in figures), 4)


class PathTest(unittest.TestCase):
    def test_as_cheap_as_dijkstra_of_scipy(self) -> None:
        price = np.random.default_rng(3).random((60, 40)).astype(np.float32) ** 3 + 0.01
        aside = np.random.default_rng(4).random((60, 40)).astype(np.float32) + 0.01
        number = np.arange(2400).reshape(60, 40)
        graph = sparse.lil_matrix((2401, 2401))
        for one, other, cost in (
            (number[:-1], number[1:], price[1:]),
            (number[1:], number[:-1], price[:-1]),
            (number[:, :-1], number[:, 1:], aside[:, 1:]),
            (number[:, 1:], number[:, :-1], aside[:, :-1]),
        ):
            graph[one.ravel(), other.ravel()] = cost.ravel()
        graph[2400, number[0]] = price[0]
        away = sparse.csgraph.dijkstra(graph.tocsr(), indices=2400)
        path, found = cheapest_path(price, aside, -1, -1)
        self.assertAlmostEqual(found, float(away[number[-1]].min()), delta=1e-3)
        self.assertEqual((path[0, 0], path[-1, 0]), (0, 59))
        self.assertTrue((np.abs(np.diff(path, axis=0)).sum(1) == 1).all())
        side, mean = open_side(price, aside)
        self.assertAlmostEqual(mean * len(path), found, delta=1e-3)
        self.assertTrue(side[:, 0].all())
        self.assertFalse(side[:, -1].all())

    def test_a_path_can_run_back_to_follow_a_bend(self) -> None:
        price = np.ones((40, 40), np.float32)
        way = (
            [(y, 30) for y in range(0, 25)] + [(24, x) for x in range(30, 9, -1)] + [(y, 10) for y in range(24, 9, -1)]
        )
        way += [(10, x) for x in range(10, 3, -1)] + [(y, 4) for y in range(10, 40)]
        for y, x in way:
            price[y, x] = 0.01
        side, mean = open_side(price, price)
        self.assertAlmostEqual(mean, 0.01, delta=1e-4)
        self.assertTrue(side[15, 12 - 2] and side[5, 20] and not side[30, 20])

    def test_a_closed_path_meets_its_beginning(self) -> None:
        y, x = np.mgrid[0:80, 0:40].astype(np.float32)
        line = 20 + 9 * np.sin(2 * np.pi * y / 80 + 1)
        price = 0.02 + np.minimum(np.abs(x - line), 4).astype(np.float32)
        side, _ = closed_side(price, price)
        edge = side.sum(1).astype(int)
        self.assertLessEqual(int(np.abs(np.diff(np.append(edge, edge[0]))).max()), 3)
        np.testing.assert_allclose(edge, line[:, 0], atol=2)


class StrewnWholeTest(unittest.TestCase):
    def test_stones_and_leaves_are_strewn_whole(self) -> None:
        for kind in ("fallen_leaves", "rubble_wall"):
            one = ready(kind, tile__join__method="strew", tile__join__whole=True)
            found = broken_by_joins(one)
            with self.subTest(kind):
                # Organic outlines break every fifth of all joins' length.
                self.assertLess(found["share"], 0.012)
                self.assertGreater(found["shown"], 60)

    def test_what_has_no_pieces_is_strewn_as_before(self) -> None:
        with mock.patch("amber_thicket.core.tile.join.WholePieces.of") as made:
            for photo, whole in (("grass", True), ("gravel", False)):
                strewn = {"tile__join__method": "strew", "tile__join__whole": whole}
                evaluation(linear_photograph(photo), **size_of(256), **strewn).layer("base_color", (256, 256))
        made.assert_not_called()

    def test_feather_is_kept_short_between_whole_pieces(self) -> None:
        wide, narrow = (
            ready("fallen_leaves", tile__join__method="strew", tile__join__whole=True, tile__join__feather=f)
            .layer("joined", (SIDE, SIDE))
            .pixels
            for f in (6.0, 0.7)
        )
        np.testing.assert_array_equal(wide, narrow)


class RegrownWholeTest(unittest.TestCase):
    def test_a_larger_tile_without_a_cut_stone(self) -> None:
        for kind in ("rubble_wall", "uneven_slates"):
            whole, cut = (
                ready(kind, tile__join__method="regrow", tile__join__whole=whole, tile__join__pattern=66.0)
                for whole in (True, False)
            )
            with self.subTest(kind):
                # By the bench's own pieces.
                found, before = truly_broken(kind, whole), truly_broken(kind, cut)
                self.assertLess(found.share, 0.02, found)
                self.assertGreater(before.share, 5 * found.share)
                figures = seams(coded(whole.layer("base_color", (SIDE, SIDE)).pixels, "base_color"))
                self.assertTrue(all(figure.passes for figure in figures), figures)

    def test_stones_hardly_meet_without_a_joint(self) -> None:
        one = ready("crazy_paving", 5, tile__join__method="regrow", tile__join__whole=True)
        # Blocks that overlap by less than a stone come to .018.
        self.assertLess(fused_joins("crazy_paving", one, 5), 0.0155)

    def test_courses_go_on(self) -> None:
        # Slates lie in rows: what is laid beside a row is a row, so that dark joints run all the way across.
        one = ready("uneven_slates", tile__join__method="regrow", tile__join__whole=True, tile__join__pattern=66.0)
        tile = one.layer("base_color", (SIDE, SIDE)).pixels.mean(-1)
        along = tile.mean(axis=1)
        dark = float(np.percentile(along, 5) / np.median(along))
        sample = piecewise("uneven_slates")[0].mean(-1).mean(axis=1)
        self.assertLess(dark, float(np.percentile(sample, 5) / np.median(sample)) + 0.12)

    def test_its_plan_hangs_on_how_pieces_are_looked_for(self) -> None:
        for method, hangs in (("regrow", True), ("strew", True), ("joints", True), ("cut", False)):
            one = ready("rubble_wall", tile__join__method=method, tile__join__whole=True)
            other = one.with_changes({"tile.join.joint_width": 1.4})
            self.assertEqual(one.plan_key() != other.plan_key(), hangs, method)

    def test_what_has_no_pieces_is_regrown_as_before(self) -> None:
        whole, before = (
            evaluation(linear_photograph("grass"), **size_of(256), tile__join__method="regrow", tile__join__whole=whole)
            for whole in (True, False)
        )
        np.testing.assert_array_equal(*(one.layer("joined", (256, 256)).pixels for one in (whole, before)))


class SuggestedTest(unittest.TestCase):
    def test_where_pieces_stand_out_joins_follow_their_joints(self) -> None:
        for kind in PIECEWISE:
            found = suggestion(ready(kind, tile__join__method="cut"))
            with self.subTest(kind):
                self.assertEqual((found.method, found.changes), ("joints", {"tile.join.method": "joints"}))
                self.assertIn("none broken", found.reason)
        # Where the tile breaks one all the same, whatever its plan says, that is said.
        told = "amber_thicket.service.tiling.broken_by_joins"
        with mock.patch(told, lambda one: broken_by_joins(one) | {"count": 1}):
            self.assertIn("1 broken", suggestion(ready("crazy_paving", tile__join__method="cut")).reason)
        settled = suggestion(ready("rubble_wall"))
        self.assertEqual((settled.method, settled.changes), ("joints", {}))

    def test_whole_repeats_give_way_where_they_break_pieces_though_there_are_few(self) -> None:
        # Six boards across a picture; slates of which two would be broken.
        for kind in ("deck_planks", "slate_shingles"):
            one = evaluation(photographed(KINDS[kind](1024, 5)), **size_of(SIDE))
            found = suggestion(one)
            with self.subTest(kind):
                self.assertEqual(found.method, "joints", found.reason)
                self.assertIn("Whole repeats would break 2", found.reason)
                self.assertEqual(broken_by_joins(one.with_changes(found.changes))["count"], 0)

    def test_loose_pieces_are_laid_anew_unless_they_are_large(self) -> None:
        # The same gravel: many stones, or few that are large beside the parts it would be laid of.
        for part, method, sure in (
            (slice(0, 200), "joints", False),
            (slice(100, 300), "joints", True),
            (slice(60, 300), "regrow", True),
        ):
            one = evaluation(linear_photograph("gravel")[part, part], **size_of(SIDE))
            found = suggestion(one)
            with self.subTest(part=part):
                self.assertEqual(found.method, method, found.reason)
                self.assertEqual(broken_by_joins(one.with_changes(found.changes))["count"], 0)
                # Where a px of join costs no more than .65 nobody has to look first, though the contrast is below 4.5.
                self.assertEqual(found.sure, sure)

    def test_veins_are_no_joints(self) -> None:
        for seed in (1, 2, 3):
            one = evaluation(veined(seed), **size_of(SIDE))
            found = suggestion(one)
            with self.subTest(seed):
                # Its veins stand out more than many a joint.
                self.assertGreater(pieces_of_sample(one).contrast, 3.6)
                self.assertNotEqual(found.method, "joints", found.reason)
                self.assertNotIn("tile.join.whole", {**found.changes} if found.method == "regrow" else {})
                # And joins that cross them break no pieces for sure.
                self.assertEqual(broken_by_joins(one)["pieces"], "unknown")

    def test_what_may_be_pieces_is_kept_whole_all_the_same_once_somebody_looked(self) -> None:
        cork = evaluation(photographed(rig_surface("cork_board", 512, 7)), **size_of(SIDE))
        self.assertGreater(broken_by_joins(cork.with_changes({"tile.join.method": "cut"}))["count"], 0)
        self.assert_kept_whole_unless_dear(cork, "cut", "a cut would run through")
        # A cut that runs through none of them does no harm whichever they are.
        with mock.patch("amber_thicket.service.tiling.broken_by_joins", return_value={"count": 0, "share": 0.0}):
            found = suggestion(cork)
        self.assertEqual((found.method, found.sure), ("cut", True), found.reason)

    def test_whole_repeats_want_a_look_where_pieces_show_once_they_are_taken(self) -> None:
        coir = evaluation(photographed(rig_surface("coir_matting", 768, 5)), **size_of(SIDE))
        found = suggestion(coir)
        self.assertEqual((found.method, found.sure), ("lattice", True), found.reason)
        told = {"pieces": "yes", "count": 2, "share": 0.02, "shown": 100}
        with mock.patch("amber_thicket.service.tiling.broken_by_joins", return_value=told):
            self.assertEqual((suggestion(coir).method, suggestion(coir).sure), ("lattice", False))

    def test_repeats_one_way_want_a_look_where_they_may_cut_pieces_the_other_way(self) -> None:
        across = np.sin(np.arange(768) * 2 * np.pi / 64)
        grain = cv2.GaussianBlur(np.random.default_rng(2).standard_normal((768, 768)), (0, 0), 4)
        furrows = (0.3 + 0.1 * across + 0.03 * grain / grain.std())[..., None].repeat(3, -1)
        one = evaluation(furrows.astype(np.float32), **size_of(SIDE))
        pieces = pieces_of_sample(one.with_changes({"tile.join.method": "joints"}))
        for contrast, count, sure in ((2.8, 0, True), (2.8, 1, False), (2.3, 1, False)):
            told = {"pieces": "unknown", "count": count, "share": 0.02, "shown": 40}
            with (
                self.subTest(contrast=contrast, count=count),
                mock.patch(
                    "amber_thicket.service.tiling.pieces_of_sample", return_value=replace(pieces, contrast=contrast)
                ),
                mock.patch("amber_thicket.service.tiling.broken_by_joins", return_value=told),
            ):
                found = suggestion(one)
                self.assertIn("repeats across fit", found.reason)
                self.assertEqual((found.method, found.sure), ("lattice", sure), found.reason)
                self.assertEqual("if stones come out cut, try joints" in found.reason, not sure)

    def test_what_lies_loose_is_not_strewn_unseen_where_it_may_be_pieces(self) -> None:
        """Gravel under a grain in which nobody can tell whether it is stones."""
        grain = cv2.GaussianBlur(np.random.default_rng(5).standard_normal((512, 512)), (0, 0), 1.2)
        gravel = linear_photograph("gravel") * np.exp(0.2 * grain / grain.std())[..., None]
        one = evaluation(gravel.astype(np.float32), **size_of(SIDE))
        self.assert_kept_whole_unless_dear(one, "strew", "strewn, ")

    def assert_kept_whole_unless_dear(self, one: Evaluation, otherwise: str, told: str) -> None:
        found = suggestion(one)
        self.assertEqual((found.method, found.sure), ("joints", False), found.reason)
        self.assertIn("Whether it has pieces cannot be told", found.reason)
        self.assertIn(told, found.reason)
        self.assertEqual(broken_by_joins(one.with_changes(found.changes))["count"], 0)
        # Where joins between them would cost too much, what is done otherwise wants a look as well.
        with mock.patch("amber_thicket.service.tiling._DEAR", 0.1):
            found = suggestion(one)
        self.assertEqual((found.method, found.sure), (otherwise, False), found.reason)
        self.assertIn("if stones come out cut, try joints", found.reason)

    def test_not_offered_where_there_are_no_pieces(self) -> None:
        lime = photographed(rig_surface("lime_render", 640, 3))
        found = suggestion(evaluation(lime, **size_of(SIDE)))
        self.assertIn("no pieces to keep whole", found.against_joints)
        self.assertNotEqual(found.method, "joints")
        offered = suggestion(evaluation(linear_photograph("gravel"), **size_of(SIDE)))
        self.assertEqual(offered.against_joints, "")


if __name__ == "__main__":
    unittest.main()
