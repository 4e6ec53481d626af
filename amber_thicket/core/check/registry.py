"""The explicit list of rules. A duplicate id fails at import."""

from __future__ import annotations

from amber_thicket.core.check.rule import ORDER, Finding, Rule, Subject
from amber_thicket.core.check.rules import (
    ambient_occlusion_darkest,
    ambient_occlusion_polarity,
    base_color_bounds,
    base_color_clipped,
    base_color_encoding,
    files_channels,
    files_lossless,
    files_names,
    height_bit_depth,
    height_clipping,
    height_normal_agree,
    height_polarity,
    height_range,
    metallic_extremes,
    normal_blue_positive,
    normal_encoding,
    normal_tilt,
    normal_unit_length,
    normal_y_direction,
    roughness_constant,
    roughness_encoding,
    roughness_extremes,
    set_blank_maps,
    set_power_of_two,
    set_required_maps,
    set_same_size,
    tiling_drift,
    tiling_giveaways,
    tiling_hidden_seam,
    tiling_seam,
)

RULES: tuple[Rule, ...] = (
    set_same_size.RULE,
    set_power_of_two.RULE,
    set_required_maps.RULE,
    set_blank_maps.RULE,
    tiling_seam.RULE,
    tiling_hidden_seam.RULE,
    tiling_drift.RULE,
    tiling_giveaways.RULE,
    base_color_encoding.RULE,
    base_color_bounds.RULE,
    base_color_clipped.RULE,
    normal_unit_length.RULE,
    normal_blue_positive.RULE,
    normal_tilt.RULE,
    normal_y_direction.RULE,
    normal_encoding.RULE,
    height_bit_depth.RULE,
    height_clipping.RULE,
    height_range.RULE,
    height_polarity.RULE,
    height_normal_agree.RULE,
    roughness_constant.RULE,
    roughness_extremes.RULE,
    roughness_encoding.RULE,
    ambient_occlusion_polarity.RULE,
    ambient_occlusion_darkest.RULE,
    metallic_extremes.RULE,
    files_lossless.RULE,
    files_names.RULE,
    files_channels.RULE,
)
if len({rule.id for rule in RULES}) != len(RULES):
    raise RuntimeError("two rules share an id")


def examine(subject: Subject) -> list[tuple[Rule, Finding]]:
    """Every rule's findings, gravest first, otherwise in the order of the list."""
    found = [(rule, finding) for rule in RULES for finding in rule.look(subject)]
    return sorted(found, key=lambda pair: ORDER.index(pair[1].level))
