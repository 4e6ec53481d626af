"""Relief finer than what moves between photographs can tell, from the tone and the shading of the first one.

Flow blurs what is a few px wide. What brightness and colour mean for height there is not guessed: the light's side, and
whether bright is high, are fitted to the parallax where that is sure, in sizes both see, and hold for the finer ones.
Source: Wu, Wilburn, Matsushita & Theobalt, "High-quality shape from multi-view stereo and shading under general
illumination", CVPR 2011 (shading refines stereo); the linear shading of Pentland, IJCV 4(2), 1990. How much each size
takes from each side was fitted on made-up surfaces (docs/decisions/034).
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from amber_thicket.core.numeric.colour import linear_to_lab
from amber_thicket.core.numeric.filters import blur
from amber_thicket.core.numeric.libraries import cv2, fft
from amber_thicket.core.raster import Pixels

# Standard deviations between which sizes lie, px of what parallax was told on; how much of the parallax is added to
# itself there, and how much of the colour's reading, times how well that fits.
_SIZES = ((0.0, 1.0), (1.0, 2.0), (2.0, 4.0), (4.0, 8.0))
_SHARPER = (0.08, 0.27, 0.18, 0.06)
_READ = (2.42, 1.35, 0.61, 0.15)
# Sizes that both see.
_BOTH = (2.0, 8.0)
_RIM, _EDGE, _STEP = 64, 40, 2
_SURE = 0.6
_LEAST_SURE = 2000


class Reading(NamedTuple):
    """What the first photograph says of height. plain: weights of tone and of shading along right and down; coloured:
    the same with two of hue behind them. fit: correlation with the parallax in sizes both see, 0..1."""

    plain: Pixels
    coloured: Pixels
    fit: float


def _spectra(lab: Pixels) -> tuple[Any, Pixels, Pixels]:
    """(spectra of lightness and two hues, angular frequencies right, down a px) of a picture with its rim mirrored."""
    wide = cv2.copyMakeBorder(lab, _RIM, _RIM, _RIM, _RIM, cv2.BORDER_REFLECT)
    spectra = [fft.rfft2(np.ascontiguousarray(wide[..., k]), workers=-1) for k in range(3)]
    right = (2 * np.pi * fft.rfftfreq(wide.shape[1])[None]).astype(np.float32)
    down = (2 * np.pi * fft.fftfreq(wide.shape[0])[:, None]).astype(np.float32)
    return spectra, right, down


def _transfers(right: Pixels, down: Pixels) -> tuple[Pixels, Pixels, Pixels]:
    """What a spectrum is multiplied with for tone (steps of brightness are sharper than steps of relief) and for
    shading along right and down."""
    square = np.maximum(right * right + down * down, np.float32(1e-8))
    return (
        square ** np.float32(-0.25),
        (-1j * right / square).astype(np.complex64),
        (-1j * down / square).astype(np.complex64),
    )


def _field(spectrum: Any, shape: tuple[int, ...]) -> Pixels:
    wide = (shape[0] + 2 * _RIM, shape[1] + 2 * _RIM)
    return np.asarray(fft.irfft2(spectrum, s=wide, workers=-1)[_RIM:-_RIM, _RIM:-_RIM], np.float32)


def _size(field: Pixels, sizes: tuple[float, float], scale: float) -> Pixels:
    """What of a field lies between two sizes. scale: px for one that parallax was told on."""
    fine, coarse = (
        blur(np.ascontiguousarray(field), sigma * scale, wraps=False, fast=sigma * scale > 2) if sigma else field
        for sigma in sizes
    )
    return np.asarray(fine - coarse, np.float32)


def read_fine(photograph: Pixels, height: Pixels, agree: Pixels) -> Reading | None:
    """What brightness and colour mean for height. photograph: (H, W, 3) linear; height, agree: (H, W) as the parallax
    told them. None where too little is sure."""
    spectra, right, down = _spectra(linear_to_lab(photograph))
    tone, along, across = _transfers(right, down)
    inner = np.s_[_EDGE:-_EDGE:_STEP, _EDGE:-_EDGE:_STEP]
    sure = agree[inner].ravel() > _SURE
    if int(sure.sum()) < _LEAST_SURE:
        return None
    parts = [spectra[0] * tone, spectra[0] * along, spectra[0] * across, spectra[1] * tone, spectra[2] * tone]
    cues = np.stack([_size(_field(part, height.shape), _BOTH, 1.0)[inner].ravel()[sure] for part in parts], 1)
    wanted = _size(height, _BOTH, 1.0)[inner].ravel()[sure]
    plain, coloured = (np.linalg.lstsq(rows, wanted, rcond=None)[0] for rows in (cues[:, :3], cues))
    told = cues @ coloured
    fit = float((told * wanted).sum() / max(float(np.sqrt((told**2).sum() * (wanted**2).sum())), 1e-30))
    return Reading(plain, coloured, max(fit, 0.0))


def fine_relief(photograph: Pixels, reading: Reading, scale: float) -> Pixels:
    """(H, W): the colour's share of the fine relief. scale: px of this photograph for one that parallax was told on."""
    spectra, right, down = _spectra(linear_to_lab(photograph))
    tone, along, across = _transfers(right * np.float32(scale), down * np.float32(scale))

    def read(weights: Pixels) -> Pixels:
        whole = spectra[0] * (weights[0] * tone + weights[1] * along + weights[2] * across)
        for weight, spectrum in zip(weights[3:], spectra[1:], strict=False):
            whole = whole + weight * spectrum * tone
        return _field(whole, photograph.shape[:2])

    # Hue is coarser than brightness in every file of a camera: the finest size does without.
    fields = [read(reading.plain), *[read(reading.coloured)] * (len(_SIZES) - 1)]
    made = np.zeros(photograph.shape[:2], np.float32)
    for field, sizes, share in zip(fields, _SIZES, _READ, strict=True):
        made += np.float32(share * reading.fit) * _size(field, sizes, scale)
    return made


def sharper(height: Pixels) -> Pixels:
    """(H, W): what the parallax lost in its finer sizes, as far as it still shows there."""
    made = np.zeros_like(height)
    for sizes, share in zip(_SIZES, _SHARPER, strict=True):
        made += np.float32(share) * _size(height, sizes, 1.0)
    return made
