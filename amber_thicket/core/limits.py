"""How strict the check is, and what somebody looked at and let be."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from amber_thicket.core.operation import Operation
from amber_thicket.core.settings import OperationSettings, Record, setting

# What somebody lets be may come out so much larger after other changes, and its place may move so far that this share
# of it is left; what grows or moves more is to be looked at again.
_GROWS, _STAYS = 1.05, 0.5
Box = tuple[float, float, float, float]


class Waiver(Record):
    """What a rule draws attention to and somebody let be. map: the role it is about, "" for none. ratio: what was
    measured over its limit, None where the answer is yes or no; then measured, in the rule's own words, says what it
    was. box: where, as left, top, width, height in shares of the tile; None where it is no place."""

    rule: str = Field(max_length=60)
    map: str = Field("", max_length=40)
    ratio: float | None = Field(None, ge=0)
    measured: str = Field("", max_length=300)
    box: Box | None = None

    def covers(self, rule: str, map: str, ratio: float | None, measured: str, box: Box | None) -> bool:
        """Whether what is found now is what was let be, at the same place, and no worse."""
        if (self.rule, self.map) != (rule, map) or not _same_place(self.box, box):
            return False
        if self.ratio is None or ratio is None:
            return self.ratio is ratio and self.measured == measured
        return ratio <= self.ratio * _GROWS


def _same_place(one: Box | None, other: Box | None) -> bool:
    """Whether two boxes share half of what both cover together, or there is none."""
    if one is None or other is None:
        return one is other
    wide, high = (min(one[i] + one[i + 2], other[i] + other[i + 2]) - max(one[i], other[i]) for i in (0, 1))
    shared = max(wide, 0.0) * max(high, 0.0)
    both = one[2] * one[3] + other[2] * other[3] - shared
    return shared >= _STAYS * both


class Settings(OperationSettings):
    base_color: Literal["usual", "strict"] = setting(
        "usual",
        label="Base colour bounds",
        choices={"usual": "30–240", "strict": "50–240"},
        help="How dark a base colour that is not metal may be, as an 8-bit sRGB value.",
    )
    waived: tuple[Waiver, ...] = setting(
        (),
        most=100,
        label="Let be",
        help="What the check draws attention to and somebody let be after looking; it comes up again when it is worse.",
    )


OPERATION = Operation(id="check.limits", label="Limits", help="How strict the check is.", settings=Settings)
