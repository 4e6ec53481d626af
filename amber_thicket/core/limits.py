"""How strict the check is."""

from __future__ import annotations

from typing import Literal

from amber_thicket.core.operation import Operation
from amber_thicket.core.settings import OperationSettings, setting


class Settings(OperationSettings):
    base_color: Literal["usual", "strict"] = setting(
        "usual",
        label="Base colour bounds",
        choices={"usual": "30–240", "strict": "50–240"},
        help="How dark a base colour that is not metal may be, as an 8-bit sRGB value.",
    )


OPERATION = Operation(id="check.limits", label="Limits", help="How strict the check is.", settings=Settings)
