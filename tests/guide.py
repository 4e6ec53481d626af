"""The table of kinds in docs/guide/response.md, as the code has it. Run as a module, this writes it anew."""

from __future__ import annotations

from pathlib import Path

from amber_thicket.core.response.kinds import KINDS, SOURCES, Kind

FILE = Path(__file__).parent.parent / "docs" / "guide" / "response.md"
_BEGIN, _END = "<!-- kinds -->\n", "<!-- /kinds -->\n"
_SHORT = {name: str(number) for number, name in enumerate(SOURCES, 1)}


def _row(kind: Kind) -> str:
    red, green, blue = (f"{100 * value:.1f}" for value in kind.reflectance())
    mirrors = red if red == green == blue else f"{red}, {green}, {blue}"
    index = f"{kind.n:g}" if kind.n else ""
    sources = ", ".join(dict.fromkeys(_SHORT[name] for name in kind.sources))
    return (
        f"| {kind.label} | {kind.rough:.2f} ± {kind.spread:.2f} | {' / '.join(f'{one:g}' for one in kind.follows)} | "
        f"{index} | {mirrors} | {100 * kind.albedo[0]:.0f}–{100 * kind.albedo[1]:.0f} | {sources} |"
    )


def table() -> str:
    """The lines between the two marks."""
    head = [
        "| kind | roughness | follows: recesses / grain / paleness, % | n | mirrors straight on, % | base colour, % | sources |",
        "|---|---|---|---|---|---|---|",
    ]
    notes = [f"{number}: {SOURCES[name]}." for name, number in _SHORT.items()]
    return "\n".join([*head, *map(_row, KINDS.values()), "", "Sources: " + " ".join(notes)]) + "\n"


def told() -> str:
    """What the guide holds there now."""
    return FILE.read_text().split(_BEGIN)[1].split(_END)[0]


if __name__ == "__main__":
    text = FILE.read_text()
    FILE.write_text(text.split(_BEGIN)[0] + _BEGIN + table() + _END + text.split(_END)[1])
