"""How strict the check is, and what somebody looked at and let be."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from amber_thicket.core.operation import Operation
from amber_thicket.core.settings import OperationSettings, Record, setting

# What somebody lets be may come out so much larger after other changes; what grows more is to be looked at again.
_GROWS = 1.05


class LetBe(Record):
    """What a rule draws attention to and somebody let be. map: the role it is about, "" for none. ratio: what was
    measured over its limit, None where the answer is yes or no; then measured, in the rule's own words, says what it
    was."""

    rule: str = Field(max_length=60)
    map: str = Field("", max_length=40)
    ratio: float | None = Field(None, ge=0)
    measured: str = Field("", max_length=300)

    def covers(self, rule: str, map: str, ratio: float | None, measured: str) -> bool:
        """Whether what is found now is what was let be, and no worse."""
        if (self.rule, self.map) != (rule, map):
            return False
        if self.ratio is None or ratio is None:
            return self.ratio is ratio and self.measured == measured
        return ratio <= self.ratio * _GROWS


class Settings(OperationSettings):
    base_color: Literal["usual", "strict"] = setting(
        "usual",
        label="Base colour bounds",
        choices={"usual": "30–240", "strict": "50–240"},
        help="How dark a base colour that is not metal may be, as an 8-bit sRGB value.",
    )
    let_be: tuple[LetBe, ...] = setting(
        (),
        most=100,
        label="Let be",
        help="What the check draws attention to and somebody let be after looking; it comes up again when it is worse.",
    )


OPERATION = Operation(id="check.limits", label="Limits", help="How strict the check is.", settings=Settings)
