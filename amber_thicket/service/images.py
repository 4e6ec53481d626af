"""Pictures from words: which providers there are, and what is kept of what they make."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator
from pathlib import Path

from amber_thicket.core.check.figures import coded, seams
from amber_thicket.core.gather.triage import triage
from amber_thicket.core.generate import CANDIDATES, MOST_WORDS, Request
from amber_thicket.core.numeric.colour import decode_srgb
from amber_thicket.core.raster import Pixels
from amber_thicket.core.tile.repeat_artifacts import ALARM, find_repeats
from amber_thicket.errors import BadSetting
from amber_thicket.formats.write import png_bytes
from amber_thicket.service.providers import providers
from amber_thicket.store.blobs import Blobs
from amber_thicket.store.work import Candidate, CandidateFinding, GeneratePayload, GenerateResult

SIDES = (512, 1024, 1536, 2048)


def checked(words: str, provider: str, side: int, folder: Path | None) -> None:
    """Raises BadSetting for a request no provider could meet. folder: the data folder, which may name some."""
    known = providers(folder)
    if not words.strip():
        raise BadSetting(
            "There are no words.", remedy="Say what surface you want, as “tarred felt, worn”.", setting="words"
        )
    if len(words) > MOST_WORDS:
        raise BadSetting(f"That is over {MOST_WORDS} characters.", remedy="Say it shorter.", setting="words")
    if provider not in known:
        raise BadSetting("There is no such picture maker.", remedy=f"Known: {', '.join(known)}.", setting="provider")
    if side not in SIDES:
        raise BadSetting("Pictures are not made in this size.", remedy=f"Known: {SIDES}.", setting="side")


def generated(
    blobs: Blobs,
    folder: Path,
    payload: GeneratePayload,
    say: Callable[[float, str], None],
    check: Callable[[], None],
) -> Iterator[GenerateResult]:
    """Four candidates in the store, told anew with each that is there. Raises ThicketError where the provider cannot,
    or is not known any more."""
    known = providers(folder)
    if payload.provider not in known:
        raise BadSetting("There is no such picture maker any more.", remedy=f"Known: {', '.join(known)}.")
    provider = known[payload.provider]
    request = Request(
        payload.words, payload.seed, tileable=payload.tileable, top_down=payload.top_down, side=payload.side
    )
    made: tuple[Candidate, ...] = ()
    for candidate in provider.candidates(request, CANDIDATES, say, check):
        blob, length = blobs.put([png_bytes(candidate.pixels, encoding="srgb")])
        found = findings_of_candidate(decode_srgb(candidate.pixels), tileable=request.tileable)
        made = (*made, Candidate(blob=blob, seed=candidate.seed, bytes=length, findings=found))
        # What it is and what it did not read, a service tells with its pictures.
        yield GenerateResult(
            candidates=made, unread=tuple(provider.unread(request.words)), simulation=provider.simulation
        )


def findings_of_candidate(pixels: Pixels, *, tileable: bool) -> tuple[CandidateFinding, ...]:
    """What is wrong with a picture before it is kept: what triage tells, edges that were asked to meet and do not, and
    what returns at every repeat of one that tiles. pixels: linear RGB (H, W, 3)."""
    told = triage(pixels, bits=8, floating=False)
    found = [(one["what"], one["measured"]) for one in told if one["level"] == "attention"]
    if tileable:
        both = seams(coded(pixels, "base_color"))
        if all(one.passes for one in both):
            repeats = find_repeats(pixels)
            if repeats.figure >= ALARM:
                found.append(("Returns at every repeat", f"{repeats.figure:.1f} × what is seen"))
        else:
            found.append(("Edges do not meet", " and ".join(f"{one.border:.0f}" for one in both) + ", limit 4"))
    return tuple(CandidateFinding(what=what, measured=measured) for what, measured in found)


def file_name(words: str, seed: int) -> str:
    """A file name that says what was asked for."""
    short = "_".join("".join(c if c.isalnum() else " " for c in words.lower()).split()[:5]) or "picture"
    return f"{short}_{seed}_{hashlib.sha256(words.encode()).hexdigest()[:4]}.png"
