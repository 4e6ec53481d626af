"""The interface to whatever makes pictures from words.

A provider is one class. The one that ships is a simulation; others are asked over HTTP (service/providers.py).
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

MOST_WORDS, CANDIDATES = 300, 4


@dataclass(frozen=True)
class Request:
    """words: what is wanted, in plain English. seed: the same words and seed give the same pictures. tileable: opposite
    edges should meet. top_down: seen straight from above. side: px of the square pictures."""

    words: str
    seed: int = 1
    tileable: bool = True
    top_down: bool = True
    side: int = 1024


@dataclass(frozen=True)
class Candidate:
    """pixels: (side, side, 3) 8-bit sRGB codes. seed: what makes this one again."""

    pixels: NDArray[np.uint8]
    seed: int


class Provider(ABC):
    """Makes pictures from words."""

    label: str
    simulation: bool = False

    @abstractmethod
    def unread(self, words: str) -> list[str]:
        """The words that will change nothing, in order."""

    @abstractmethod
    def candidates(
        self, request: Request, count: int, say: Callable[[float, str], None], check: Callable[[], None]
    ) -> Iterable[Candidate]:
        """`count` pictures, each as soon as it is there where it can be. say: told the share done and what is being
        done. check: raises Cancelled when called off.

        Raises ThicketError with a remedy where it cannot.
        """
