"""What the program works out for Square: proposed corners, lens bend from drawn lines."""

from __future__ import annotations

from collections.abc import Sequence

from amber_thicket.core.graph import Evaluation
from amber_thicket.core.square import lens
from amber_thicket.core.square.propose import Proposal, propose

_SIDE = 1024


def proposal(evaluation: Evaluation) -> Proposal:
    """Corners of something square in the capture, with how sure that is. Same capture, same answer."""
    key = f"proposal/{evaluation.gathered_key(_SIDE)}"
    found: Proposal = evaluation.memory.get(key, lambda: propose(evaluation.gathered(_SIDE).pixels))
    return found


def bend(evaluation: Evaluation, lines: Sequence[Sequence[Sequence[float]]]) -> dict[str, float]:
    """Settings of square.lens that make lines (points in 0..1 of the capture) straight."""
    width, height = evaluation.picture_size()
    return {f"square.lens.{name}": value for name, value in lens.solved(lines, width / height).items()}
