"""The explicit list of rules. A duplicate id fails at import."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace

from amber_thicket.core.check.rule import ORDER, Finding, Rule, Subject
from amber_thicket.core.check.rules import (
    ambient_occlusion_apart,
    ambient_occlusion_darkest,
    ambient_occlusion_polarity,
    base_color_bounds,
    base_color_clipped,
    base_color_encoding,
    base_color_kind,
    base_color_light,
    base_color_saturation,
    base_color_steps,
    files_alpha,
    files_channels,
    files_encoding,
    files_lossless,
    files_names,
    files_read_back,
    height_bit_depth,
    height_clipping,
    height_depth,
    height_normal_agree,
    height_polarity,
    height_range,
    height_spikes,
    metallic_color,
    metallic_extremes,
    normal_blue_positive,
    normal_channels,
    normal_encoding,
    normal_steps,
    normal_tilt,
    normal_unit_length,
    normal_y_direction,
    opacity_edge,
    roughness_constant,
    roughness_encoding,
    roughness_extremes,
    roughness_polarity,
    set_aligned,
    set_aspect,
    set_blank_maps,
    set_detail,
    set_power_of_two,
    set_required_maps,
    set_same_size,
    tiling_drift,
    tiling_giveaways,
    tiling_hidden_seam,
    tiling_joins,
    tiling_mips,
    tiling_seam,
)
from amber_thicket.core.limits import Waiver

RULES: tuple[Rule, ...] = (
    set_same_size.RULE,
    set_power_of_two.RULE,
    set_required_maps.RULE,
    set_aligned.RULE,
    set_aspect.RULE,
    set_blank_maps.RULE,
    set_detail.RULE,
    tiling_seam.RULE,
    tiling_hidden_seam.RULE,
    tiling_joins.RULE,
    tiling_drift.RULE,
    tiling_giveaways.RULE,
    tiling_mips.RULE,
    base_color_encoding.RULE,
    base_color_bounds.RULE,
    base_color_kind.RULE,
    base_color_clipped.RULE,
    base_color_light.RULE,
    base_color_saturation.RULE,
    base_color_steps.RULE,
    normal_unit_length.RULE,
    normal_blue_positive.RULE,
    normal_tilt.RULE,
    normal_y_direction.RULE,
    normal_encoding.RULE,
    normal_steps.RULE,
    normal_channels.RULE,
    height_bit_depth.RULE,
    height_clipping.RULE,
    height_range.RULE,
    height_polarity.RULE,
    height_normal_agree.RULE,
    height_spikes.RULE,
    height_depth.RULE,
    roughness_constant.RULE,
    roughness_extremes.RULE,
    roughness_encoding.RULE,
    roughness_polarity.RULE,
    ambient_occlusion_polarity.RULE,
    ambient_occlusion_darkest.RULE,
    ambient_occlusion_apart.RULE,
    metallic_extremes.RULE,
    metallic_color.RULE,
    opacity_edge.RULE,
    files_lossless.RULE,
    files_names.RULE,
    files_channels.RULE,
    files_alpha.RULE,
    files_encoding.RULE,
    files_read_back.RULE,
)
if len({rule.id for rule in RULES}) != len(RULES):
    raise RuntimeError("two rules share an id")


def examine(subject: Subject, wanted: Callable[[], None] = lambda: None) -> list[tuple[Rule, Finding]]:
    """Every rule's findings, gravest first, otherwise in the order of the list. wanted: called before each rule; raises
    Cancelled to stop."""
    found: list[tuple[Rule, Finding]] = []
    waived = subject.recipe.settings("check.limits").waived
    for rule in RULES:
        wanted()
        found += [(rule, _settled(rule, finding, waived)) for finding in rule.look(subject)]
    return sorted(found, key=lambda pair: ORDER.index(pair[1].level))


def _settled(rule: Rule, finding: Finding, waived: Iterable[Waiver]) -> Finding:
    """What only wants attention becomes a note where somebody looked at it, no worse, and let it be."""
    now = (rule.id, finding.map or "", finding.times_limit, finding.measured, finding.box)
    if finding.level == "attention" and any(one.covers(*now) for one in waived):
        return replace(finding, level="note", waived=True)
    return finding
