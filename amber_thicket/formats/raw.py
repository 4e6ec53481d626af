"""Camera RAW (DNG and what LibRaw reads): linear light with BT.709 primaries, 16 bit, white as the camera set it."""

from __future__ import annotations

import io
import logging

import rawpy

from amber_thicket.errors import UnreadableFile
from amber_thicket.formats.decode import AS_SHOT, Decoded, Develop
from amber_thicket.formats.limits import check_size
from amber_thicket.formats.shot_tags import shot_of_tiff

log = logging.getLogger(__name__)
_REMEDY = "Give a DNG or another camera RAW file that opens elsewhere."
_HIGHLIGHTS = {
    "cut": rawpy.HighlightMode.Clip,
    "blend": rawpy.HighlightMode.Blend,
    "rebuild": rawpy.HighlightMode.ReconstructDefault,
}


def read_raw(data: bytes, name: str, develop: Develop = AS_SHOT) -> Decoded:
    """(H, W, 3) uint16 of linear light. Raises UnreadableFile, TooLarge."""
    try:
        with rawpy.imread(io.BytesIO(data)) as raw:
            check_size(raw.sizes.width, raw.sizes.height, name, depth=2)
            codes = raw.postprocess(
                output_bps=16,
                gamma=(1, 1),
                no_auto_bright=True,
                use_camera_wb=develop.white == "as_shot",
                use_auto_wb=develop.white == "average",
                output_color=rawpy.ColorSpace.sRGB,
                highlight_mode=_HIGHLIGHTS[develop.highlights],
            )
            white = [round(float(v), 3) for v in raw.camera_whitebalance[:3]]
    except rawpy.LibRawError as error:
        log.debug("%s: %r", name, error)
        raise UnreadableFile(
            f"{name} cannot be developed: it is damaged, or of a camera that is not known.", remedy=_REMEDY, file=name
        ) from None
    note = f"developed from RAW, white balance {white[0]:g} : {white[1]:g} : {white[2]:g}"
    return Decoded(codes, light=True, notes=[note], shot=shot_of_tiff(data))
