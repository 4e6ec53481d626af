"""Surroundings as the lit view looks them up: filtered for every roughness, and for what is matt."""

import unittest

import numpy as np

from amber_thicket.core.lit.surroundings import (
    HEIGHT,
    ROUGHNESS,
    WIDTH,
    directions,
    harmonic_basis,
    prefiltered,
    radiance,
)


class PrefilteredTest(unittest.TestCase):
    def test_in_a_white_furnace_everything_is_white(self) -> None:
        """Heitz, "Understanding the masking-shadowing function", JCGT 3(2), 2014: equal light all round stays equal."""
        found = prefiltered(np.full((128, 256, 3), 0.75, np.float32))
        np.testing.assert_allclose(found.levels, 0.75, rtol=1e-5)
        # Irradiance over π of equal light is that light.
        basis = harmonic_basis(np.array([[[0.0, 1.0, 0.0], [0.6, -0.8, 0.0]]], np.float32))
        np.testing.assert_allclose(basis @ found.harmonics, 0.75, atol=0.01)

    def test_each_level_is_the_light_weighed_by_the_lobe(self) -> None:
        """GGX about the view, Walter et al., EGSR 2007, and n = v as in Karis, SIGGRAPH 2013: written out for some
        directions, with the half vector itself."""
        light = radiance("studio")
        found = prefiltered(light).levels.reshape(len(ROUGHNESS), HEIGHT, WIDTH, 3)
        towards, _ = directions(WIDTH, HEIGHT)
        choose = np.random.default_rng(3)
        for number, roughness in list(enumerate(ROUGHNESS))[1:]:
            size = (128, 64) if roughness < 0.5 else (64, 32)
            small = light.reshape(size[1], len(light) // size[1], size[0], -1, 3).mean((1, 3)).reshape(-1, 3)
            vectors, angle = (part.reshape(size[0] * size[1], -1).astype(float) for part in directions(*size))
            for row, column in choose.integers(0, (HEIGHT, WIDTH), (6, 2)):
                normal = towards[row, column].astype(float)
                half = vectors + normal
                half /= np.linalg.norm(half, axis=1, keepdims=True) + 1e-12
                alpha2 = roughness**4
                lobe = alpha2 / ((half @ normal) ** 2 * (alpha2 - 1) + 1) ** 2
                weight = np.maximum(vectors @ normal, 0) * lobe * angle[:, 0]
                wanted = (weight[:, None] * small).sum(0) / weight.sum()
                np.testing.assert_allclose(found[number, row, column], wanted, rtol=2e-4, err_msg=str(roughness))
