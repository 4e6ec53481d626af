"""Pictures from words: which providers there are, and what is kept of what they make."""

from __future__ import annotations

import hashlib
from collections.abc import Callable

from amber_thicket.core.generate import CANDIDATES, MOST_WORDS, Provider, Request
from amber_thicket.errors import BadSetting
from amber_thicket.formats.write import png_bytes
from amber_thicket.standins.words_to_picture import SimulatedProvider
from amber_thicket.store.blobs import Blobs
from amber_thicket.store.work import Candidate, GeneratePayload, GenerateResult

# Another provider is connected by naming it here.
PROVIDERS: dict[str, Provider] = {"simulation": SimulatedProvider()}
SIDES = (512, 1024, 1536, 2048)


def checked(words: str, provider: str, side: int) -> None:
    """Raises BadSetting for a request no provider could meet."""
    if not words.strip():
        raise BadSetting(
            "There are no words.", remedy="Say what surface you want, as “tarred felt, worn”.", setting="words"
        )
    if len(words) > MOST_WORDS:
        raise BadSetting(f"That is over {MOST_WORDS} characters.", remedy="Say it shorter.", setting="words")
    if provider not in PROVIDERS:
        raise BadSetting("There is no such provider.", remedy=f"Known: {', '.join(PROVIDERS)}.", setting="provider")
    if side not in SIDES:
        raise BadSetting("Pictures are not made in this size.", remedy=f"Known: {SIDES}.", setting="side")


def generated(
    blobs: Blobs, payload: GeneratePayload, say: Callable[[float, str], None], check: Callable[[], None]
) -> GenerateResult:
    """Four candidates in the store."""
    provider = PROVIDERS[payload.provider]
    request = Request(
        payload.words, payload.seed, tileable=payload.tileable, top_down=payload.top_down, side=payload.side
    )
    made = []
    for candidate in provider.candidates(request, CANDIDATES, say, check):
        blob, length = blobs.put([png_bytes(candidate.pixels, encoding="srgb")])
        made.append(Candidate(blob=blob, seed=candidate.seed, bytes=length))
    return GenerateResult(
        candidates=tuple(made), unread=tuple(provider.unread(request.words)), simulation=provider.simulation
    )


def file_name(words: str, seed: int) -> str:
    """A file name that says what was asked for."""
    short = "_".join("".join(c if c.isalnum() else " " for c in words.lower()).split()[:5]) or "picture"
    return f"{short}_{seed}_{hashlib.sha256(words.encode()).hexdigest()[:4]}.png"
