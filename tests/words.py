"""The words of the program, gathered from its sources, and the catalogues that say them in other languages.

`./run words` brings frontend/src/words/de.json (and any other language beside it) up to date: sentences that are new come in
with an empty translation, those that are gone go. A catalogue is one JSON object, English sentence to translated sentence, in
which {0}, {1} … stand for what is put in.
"""

from __future__ import annotations

import ast
import itertools
import json
import re
import subprocess
import sys
from collections.abc import Iterable, Iterator
from pathlib import Path

from tests.program import ROOT

FOLDER = ROOT / "frontend" / "src" / "words"
_PACKAGE = ROOT / "amber_thicket"
# What a terminal, a log, a developer or the demo's making says, and what goes into files, is English.
_NOT_SHOWN = re.compile(
    r"(cli|admin|pipelines|warm|batch_report|audit_report|api|__init__)\.py$|"
    r"^(demo|standins/(?!words)|web/(typescript|openapi|config|page|description))|service/(doctor|backup)|store/(s3_blobs|migrations)|"
    r"core/pack/(readme|usd|material_x|gltf)"
)
_ENGLISH_KEYWORDS = {
    "source",
    "description",
    "prog",
    "epilog",
    "usage",
    "pattern",
    "version",
    "alias",
    "mimetype",
    "default_factory",
}
_ENGLISH_CALLS = re.compile(r"^(ValueError|TypeError|RuntimeError|KeyError|AssertionError|NotImplementedError|AttributeError|LookupError|IndexError|compile|info|debug|warning|exception|error_log|execute|execute_sql|SQL|add_argument|getLogger|njit|warn|import_module|Literal|fullmatch|match|search|sub|split|strip|startswith|endswith|encode|field|namedtuple|TypeVar|environ|getenv|cast|set_cookie|add_url_rule|route|get|post)$")  # fmt: skip
_SHOWN_KEYWORDS = {"label", "title", "hint", "what"}
_MOST = 48  # shapes of one sentence

Shape = tuple[str | None, ...]


def _shapes(node: ast.expr) -> list[Shape]:
    """Every shape a text can have; None for what is put in."""
    if isinstance(node, ast.Constant):
        return [(node.value,)] if isinstance(node.value, str) else [(None,)]
    if isinstance(node, ast.IfExp):
        return _shapes(node.body) + _shapes(node.orelse)
    if isinstance(node, ast.FormattedValue):
        return (
            _shapes(node.value)
            if isinstance(node.value, ast.IfExp | ast.Constant | ast.JoinedStr | ast.BinOp)
            else [(None,)]
        )
    if isinstance(node, ast.BoolOp):
        return [shape for value in node.values for shape in _shapes(value)]
    if isinstance(node, ast.JoinedStr):
        return _joined(_shapes(value) for value in node.values)
    if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add):
        # Numbers that are added are one number.
        return [shape if any(shape) else (None,) for shape in _joined([_shapes(node.left), _shapes(node.right)])]
    return [(None,)]


def _joined(parts: Iterable[list[Shape]]) -> list[Shape]:
    chosen = itertools.islice(itertools.product(*parts), _MOST)
    return [tuple(itertools.chain.from_iterable(row)) for row in chosen]


def _sentence(shape: Shape) -> str | None:
    numbers = itertools.count()
    parts = [piece for part in shape for piece in ([None] if part is None else _pieces(part))]
    text = "".join(f"{{{next(numbers)}}}" if part is None else part for part in parts)
    text = re.sub(r"\s+", " ", text).strip()
    return text if re.search(r"[^\W\d_]{2}", re.sub(r"\{\d+\}", " ", text)) else None


def _pieces(text: str) -> list[str | None]:
    """A text that waits for str.format, taken apart."""
    pieces: list[str | None] = []
    for number, piece in enumerate(re.split(r"\{\w*(?::[^{}]*)?\}", text)):
        pieces += [None, piece] if number else [piece]
    return pieces


def _is_words(text: str) -> bool:
    """Whether a text in a source, by its look, is there for people."""
    if re.search(
        r"^([A-Z][a-z]+(-[A-Z][a-z]+)+|[A-Z]\w+[a-z][A-Z]\w*|[A-Z]{3,} .*)$|from memory|[{}][^0-9 ,.;:)”%°×{}–-]|[<>\\]|^[./#*@]|^\w+\.\w+(\.|$)|://|^\w+/\w+|[=_]\w|\w[=_]|^--|^SELECT|application/",
        text,
    ):
        return False
    plain = re.sub(r"\{\d+\}", "N", text)
    return bool(re.search(r"^[“A-Z][a-z]", plain) or re.search(r"[^\W\d_,.:;)”°×] [^\W\d_(“]|N % [^\W\d_]{2}", plain))


def _texts(tree: ast.AST) -> Iterator[str]:
    """Sentences of a module, those within others left out."""
    if isinstance(tree, ast.Module | ast.FunctionDef | ast.AsyncFunctionDef | ast.ClassDef):
        parts: list[ast.AST] = list(tree.body)
        if parts and isinstance(parts[0], ast.Expr) and isinstance(parts[0].value, ast.Constant):
            parts = parts[1:]
        parts += getattr(tree, "bases", [])
        arguments = getattr(tree, "args", None)
        parts += [one for one in (*arguments.defaults, *arguments.kw_defaults) if one] if arguments else []
    elif isinstance(tree, ast.Compare):
        parts = [
            side for side in (tree.left, *tree.comparators) if not isinstance(side, ast.Constant | ast.Tuple | ast.Set)
        ]
    elif isinstance(tree, ast.Call):
        name = tree.func.attr if isinstance(tree.func, ast.Attribute) else getattr(tree.func, "id", "")
        plain = [] if _ENGLISH_CALLS.match(name) else list(tree.args)
        for one in tree.keywords:
            if one.arg in _SHOWN_KEYWORDS and isinstance(one.value, ast.Constant) and isinstance(one.value.value, str):
                yield from filter(None, [_sentence((one.value.value,))])
        parts = [tree.func, *plain, *(one.value for one in tree.keywords if one.arg not in _ENGLISH_KEYWORDS)]
    elif isinstance(tree, ast.Subscript):
        parts = [tree.value]
    elif isinstance(tree, ast.Match):
        parts = [statement for case in tree.cases for statement in case.body]
    elif isinstance(tree, ast.AnnAssign):
        parts = [tree.value] if tree.value else []
    elif isinstance(tree, ast.Constant | ast.JoinedStr | ast.IfExp | ast.BinOp | ast.BoolOp):
        for shape in _shapes(tree):
            text = _sentence(shape)
            if text and _is_words(text):
                yield text
        parts = list(_within(tree))
    else:
        parts = list(ast.iter_child_nodes(tree))
    for part in parts:
        yield from _texts(part)


def _within(node: ast.AST) -> Iterator[ast.AST]:
    """What a text is made of and is no text itself."""
    for child in ast.iter_child_nodes(node):
        if isinstance(child, ast.Constant | ast.JoinedStr | ast.IfExp | ast.FormattedValue | ast.BoolOp | ast.BinOp):
            yield from _within(child)
        else:
            yield child


def program_words() -> set[str]:
    """Sentences of the Python sources that reach the page."""
    found: set[str] = set()
    for path in sorted(_PACKAGE.rglob("*.py")):
        if not _NOT_SHOWN.search(path.relative_to(_PACKAGE).as_posix()):
            found |= set(_texts(ast.parse(path.read_text("utf-8"))))
    return found


def page_words() -> set[str]:
    """Sentences of the page's sources."""
    said = subprocess.run(
        ["node", "words.mjs"], cwd=ROOT / "frontend", capture_output=True, text=True, check=True
    ).stdout
    return set(json.loads(said))


def catalogue(path: Path) -> dict[str, str]:
    """The sentences of one language."""
    return dict(json.loads(path.read_text("utf-8")))


def gaps(text: str) -> list[str]:
    """What is put into a sentence, in order of number."""
    return sorted(re.findall(r"\{\d+\}", text))


def update() -> None:
    words = sorted(page_words() | program_words(), key=lambda text: (text.casefold(), text))
    for path in sorted(FOLDER.glob("*.json")):
        before = catalogue(path)
        after = {text: before.get(text, "") for text in words}
        path.write_text(json.dumps(after, ensure_ascii=False, indent=2) + "\n", "utf-8")
        empty = sum(not said for said in after.values())
        print(f"{path.name}: {len(after)} sentences, {empty} not translated, {len(before.keys() - after.keys())} gone")


if __name__ == "__main__":
    update()
    sys.exit(0)
