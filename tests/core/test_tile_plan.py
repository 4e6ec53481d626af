"""The mixture of a tile plan against the sum it stands for, written plainly."""

import unittest

import numpy as np

from amber_thicket.core.synthesis.tile_plan import FEATHER, SPLIT, TilePlan, render, softened, source_of, split_bands
from amber_thicket.errors import ShapeError

RNG = np.random.default_rng(8)
WIDTH, HEIGHT, OVER_X, OVER_Y = 48, 40, 12, 10
PIECES = ((0, 0), (1, 0), (0, 1), (1, 1))


def shares_of(shape: tuple[int, int], softness: float) -> np.ndarray:
    """Shares of the four pieces that sum to 1: only the first away from the overlap."""
    rows, columns = shape
    y, x = (np.arange(n) + 0.5 for n in (rows, columns))
    right = np.clip(((OVER_X * columns / WIDTH) - x) / softness + 0.5, 0, 1) * (x < OVER_X * columns / WIDTH)
    down = np.clip(((OVER_Y * rows / HEIGHT) - y) / softness + 0.5, 0, 1) * (y < OVER_Y * rows / HEIGHT)
    a, b = right[None, :], down[:, None]
    return np.stack([(1 - a) * (1 - b), a * (1 - b), (1 - a) * b, a * b]).astype(np.float32)


def plan_of(shape: tuple[int, int] = (HEIGHT, WIDTH), crisp: bool = True) -> TilePlan:
    shares = tuple(shares_of(shape, softness) for softness in (8.0, 4.0, 2.0))
    return TilePlan(PIECES, shares, shares[-1].argmax(axis=0).astype(np.uint8), crisp=crisp)


def plain_shares(shares: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Shares interpolated between pixel centres of their own grid, which wraps."""
    width, height = size
    _, rows, columns = shares.shape
    y, x = (np.arange(height) + 0.5) * rows / height - 0.5, (np.arange(width) + 0.5) * columns / width - 0.5
    y0, x0 = np.floor(y).astype(int), np.floor(x).astype(int)
    ty, tx = (y - y0)[:, None], (x - x0)[None, :]
    at = [[shares[:, (y0 + j) % rows][:, :, (x0 + i) % columns] for i in (0, 1)] for j in (0, 1)]
    return (at[0][0] * (1 - tx) + at[0][1] * tx) * (1 - ty) + (at[1][0] * (1 - tx) + at[1][1] * tx) * ty


def plain_render(plan: TilePlan, sample: np.ndarray, size: tuple[int, int]) -> np.ndarray:
    """Band by band, piece by piece: share × the band's pixel so many tiles further, or a tile before it."""
    width, height = size
    layer = sample[..., None] if sample.ndim == 2 else sample
    bands = split_bands(layer, float(width))
    steeper = max(1.0, (width / plan.labels.shape[1]) ** 0.5) if plan.crisp else 1.0
    total = np.zeros((height, width, layer.shape[2]))
    for number, (band, shares) in enumerate(zip(bands, plan.shares, strict=True)):
        mixed = plain_shares(shares, size)
        if number == 2 and steeper > 1:
            mixed = np.clip((mixed - 0.5) * steeper + 0.5, 0, 1)
            mixed = mixed / (mixed.sum(axis=0) + 1e-6)
        for (right, down), share in zip(plan.pieces, mixed, strict=True):
            rows, columns = np.arange(height) + down * height, np.arange(width) + right * width
            rows = np.where(rows >= layer.shape[0], rows - height, rows)
            columns = np.where(columns >= layer.shape[1], columns - width, columns)
            total += share[..., None] * band[np.ix_(rows, columns)]
    return total[..., 0] if sample.ndim == 2 else total


def near(size: tuple[int, int], over: tuple[int, int]) -> np.ndarray:
    """Where the plan mixes: the overlap and the reach of the widest feather beyond it."""
    margin = int(np.ceil(4 * FEATHER[0] * size[0])) + 1
    mask = np.zeros((size[1], size[0]), bool)
    mask[: over[1] + margin], mask[:, : over[0] + margin] = True, True
    return mask


class RenderTest(unittest.TestCase):
    def test_against_the_plain_sum(self) -> None:
        for channels in ((), (3,), (2,)):
            sample = RNG.random((HEIGHT + OVER_Y, WIDTH + OVER_X, *channels)).astype(np.float32)
            found = render(plan_of(), sample, (WIDTH, HEIGHT))
            self.assertEqual(found.shape, (HEIGHT, WIDTH, *channels))
            np.testing.assert_allclose(found, plain_render(plan_of(), sample, (WIDTH, HEIGHT)), atol=2e-5)

    def test_at_other_sizes_than_it_was_made_at(self) -> None:
        size, over = (2 * WIDTH, 2 * HEIGHT), (2 * OVER_X, 2 * OVER_Y)
        sample = RNG.random((size[1] + over[1], size[0] + over[0], 3)).astype(np.float32)
        for crisp in (True, False):
            plan = plan_of(crisp=crisp)
            found, expected = render(plan, sample, size), plain_render(plan, sample, size)
            mask = near(size, over)
            np.testing.assert_allclose(found[mask], expected[mask], atol=3e-5)
            # The rest is the sample itself.
            np.testing.assert_array_equal(found[~mask], sample[: size[1], : size[0]][~mask])

    def test_bands_of_their_own_grids(self) -> None:
        shares = tuple(
            shares_of(shape, 3.0) for shape in ((HEIGHT // 4, WIDTH // 4), (HEIGHT // 2, WIDTH // 2), (HEIGHT, WIDTH))
        )
        plan = TilePlan(PIECES, shares, shares[-1].argmax(axis=0).astype(np.uint8))
        sample = RNG.random((HEIGHT + OVER_Y, WIDTH + OVER_X)).astype(np.float32)
        np.testing.assert_allclose(
            render(plan, sample, (WIDTH, HEIGHT)), plain_render(plan, sample, (WIDTH, HEIGHT)), atol=2e-5
        )

    def test_linear_and_even(self) -> None:
        """Every map is mixed alike: what is even stays even, and twice the sample is twice the tile."""
        even = np.full((HEIGHT + OVER_Y, WIDTH + OVER_X), 0.37, np.float32)
        np.testing.assert_allclose(render(plan_of(), even, (WIDTH, HEIGHT)), 0.37, atol=1e-5)
        sample = RNG.random(even.shape).astype(np.float32)
        np.testing.assert_allclose(
            render(plan_of(), 2 * sample, (WIDTH, HEIGHT)), 2 * render(plan_of(), sample, (WIDTH, HEIGHT)), atol=1e-5
        )

    def test_nothing_below_the_least(self) -> None:
        sample = RNG.standard_normal((HEIGHT + OVER_Y, WIDTH + OVER_X)).astype(np.float32)
        free, held = (render(plan_of(), sample, (WIDTH, HEIGHT), least=least) for least in (-np.inf, 0.1))
        np.testing.assert_allclose(held, np.maximum(free, np.float32(0.1)), atol=1e-6)

    def test_one_axis_alone(self) -> None:
        for over in ((OVER_X, 0), (0, OVER_Y), (0, 0)):
            sample = RNG.random((HEIGHT + over[1], WIDTH + over[0])).astype(np.float32)
            shares = np.stack([np.ones((HEIGHT, WIDTH)), np.zeros((HEIGHT, WIDTH))]).astype(np.float32)
            if over != (0, 0):
                part = np.s_[:, : over[0]] if over[0] else np.s_[: over[1]]
                shares[0][part], shares[1][part] = 0.25, 0.75
            piece = (1, 0) if over[0] else (0, 1)
            plan = TilePlan(((0, 0), piece), (shares,) * 3, shares.argmax(axis=0).astype(np.uint8), crisp=False)
            np.testing.assert_allclose(
                render(plan, sample, (WIDTH, HEIGHT)), plain_render(plan, sample, (WIDTH, HEIGHT)), atol=2e-5
            )

    def test_what_one_piece_has_to_itself_is_its_own_but_for_single_pixels(self) -> None:
        # Wider than what is looked at at once: the right copy alone on the left, past the overlap too, where the sample
        # ends and it goes on a tile before; a single pixel, of each band in turn, is shared.
        size, over = (200, 170), (50, 40)
        sample = RNG.standard_normal((size[1] + over[1], size[0] + over[0], 3)).astype(np.float32)
        for band in range(3):
            bands = []
            for number in range(3):
                shares = np.zeros((4, size[1] // 2, size[0] // 2), np.float32)
                shares[1, :, :35], shares[0, :, 35:] = 1, 1
                if number == band:
                    shares[:, 5, 22] = (0.25, 0.75, 0, 0)
                bands.append(shares)
            plan = TilePlan(PIECES, tuple(bands), bands[2].argmax(axis=0).astype(np.uint8), crisp=False)
            expected = plain_render(plan, sample, size)
            np.testing.assert_allclose(render(plan, sample, size), expected, atol=2e-5)
            held = render(plan, sample, size, least=-0.2)
            np.testing.assert_allclose(held, np.maximum(expected, np.float32(-0.2)), atol=2e-5)

    def test_a_run_from_the_first_cells_of_its_grid_round_its_end(self) -> None:
        # So fine a tile that its second block begins in the first cell; from there on two copies share all of a row.
        size, over = (1600, 40), (8, 6)
        sample = RNG.random((size[1] + over[1], size[0] + over[0])).astype(np.float32)
        shares = np.zeros((4, 2, 40), np.float32)
        shares[0] = 1
        shares[0, 0, 2:39], shares[1, 0, 2:39] = 0.25, 0.75
        shares[:2, 1, 2:39] = 0.5
        plan = TilePlan(PIECES, (shares,) * 3, np.zeros((2, 40), np.uint8), crisp=False)
        mask = near(size, over)
        np.testing.assert_allclose(render(plan, sample, size)[mask], plain_render(plan, sample, size)[mask], atol=2e-5)

    def test_beside_nearly_all_of_unit_power_the_rest_counts(self) -> None:
        size, over = (96, 96), (20, 20)
        sample = RNG.standard_normal((size[1] + over[1], size[0] + over[0])).astype(np.float32)
        shares = np.zeros((4, size[1] // 2, size[0] // 2), np.float32)
        shares[0], shares[1] = np.sqrt(1 - 0.004**2), 0.004
        self.assertGreater(float(shares[0].min()), 1 - 1e-5)
        plan = TilePlan(PIECES, (shares,) * 3, np.zeros((size[1], size[0]), np.uint8), crisp=False)
        mask = near(size, over)
        np.testing.assert_allclose(render(plan, sample, size)[mask], plain_render(plan, sample, size)[mask], atol=2e-5)

    def test_a_sample_smaller_than_the_tile_is_refused(self) -> None:
        for rows, columns in ((HEIGHT - 1, WIDTH), (HEIGHT, WIDTH - 1)):
            with self.assertRaisesRegex(ShapeError, f"{WIDTH} × {HEIGHT}.*{columns} × {rows}"):
                render(plan_of(), np.zeros((rows, columns), np.float32), (WIDTH, HEIGHT))
        render(plan_of(), np.zeros((HEIGHT, WIDTH), np.float32), (WIDTH, HEIGHT))


class PartsTest(unittest.TestCase):
    def test_bands_sum_to_the_layer(self) -> None:
        layer = RNG.random((50, 60, 3)).astype(np.float32)
        np.testing.assert_allclose(sum(split_bands(layer, 60.0)), layer, atol=1e-6)
        coarse, middle = softened(layer, 60.0)
        self.assertLess(coarse.std(), middle.std())

    def test_where_a_picture_is_split(self) -> None:
        """3 and 14 px of 768, and what each part is feathered with: .8, 4 and 16 px."""
        self.assertEqual([round(part * 768, 6) for part in SPLIT], [14, 3])
        self.assertEqual([round(part * 768, 6) for part in FEATHER], [16, 4, 0.8])
        width = 256
        wave = np.tile(np.cos(2 * np.pi * np.arange(width) / 32).astype(np.float32), (64, 1))
        coarse, middle, fine = split_bands(wave, float(width))
        for part, fraction in zip((coarse, wave - fine), SPLIT, strict=True):
            np.testing.assert_allclose(coarse + middle, wave - fine, atol=1e-6)
            left = np.exp(-0.5 * (fraction * width * 2 * np.pi / 32) ** 2)
            self.assertAlmostEqual(float(part[32, 96:160].max()), left, delta=0.03)

    def test_where_each_pixel_comes_from(self) -> None:
        labels = np.zeros((HEIGHT, WIDTH), np.uint8)
        labels[:, :6], labels[:4, 20:] = 1, 2
        plan = TilePlan(PIECES, (), labels)
        found = source_of(plan, (WIDTH, HEIGHT), (WIDTH + OVER_X, HEIGHT + OVER_Y))
        self.assertEqual(found[20, 3].tolist(), [3 + WIDTH, 20])
        self.assertEqual(found[2, 30].tolist(), [30, 2 + HEIGHT])
        self.assertEqual(found[20, 30].tolist(), [30, 20])
        # Beyond the sample it is the pixel a tile before.
        self.assertEqual(source_of(plan, (WIDTH, HEIGHT), (WIDTH + 2, HEIGHT))[20, 3].tolist(), [3, 20])

    def test_memory_of_a_plan(self) -> None:
        plan = plan_of()
        self.assertEqual(plan.nbytes, sum(band.nbytes for band in plan.shares) + plan.labels.nbytes)
        self.assertEqual(
            TilePlan(PIECES, (), plan.labels, shifts=np.zeros((2, 3), np.float32)).nbytes, plan.labels.nbytes + 24
        )


if __name__ == "__main__":
    unittest.main()
