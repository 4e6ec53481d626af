"""What a batch came to: a page with a contact sheet, JSON, or JUnit for machines that build."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from html import escape
from typing import Any
from xml.etree import ElementTree

from amber_thicket.batch import STATES, Outcome, by_need

_WORDS = {"failed": "failed", "blocked": "needs a hand", "attention": "worth a look", "passed": "passed"}
_STYLE = """
body { font: 15px/1.45 system-ui, sans-serif; background: #1b1b1b; color: #e6e2da; margin: 32px auto; max-width: 1100px;
  padding: 0 20px }
h1 { font-size: 22px } h2 { font-size: 17px; margin: 0 } p, td { color: #b9b3a8 } a { color: #e39a2d }
.sheet { display: grid; grid-template-columns: repeat(auto-fill, minmax(130px, 1fr)); gap: 12px; margin: 20px 0 32px }
.sheet a { color: inherit; text-decoration: none }
.sheet img, .none { width: 100%; aspect-ratio: 1; border-radius: 6px; background: #333; display: block }
.none { display: grid; place-items: center; color: #999 }
section { border-top: 1px solid #3a3a3a; padding: 14px 0 } table { border-spacing: 0 3px }
td { padding-right: 18px; vertical-align: top }
.state { float: right; padding: 1px 10px; border: 1px solid #555; border-radius: 99px; font-size: 13px }
.failed, .blocked { border-color: #e39a2d; color: #e39a2d }
"""


def counted(outcomes: Sequence[Outcome]) -> str:
    """How many of each, in words: "1 failed, 2 passed"."""
    counts = {state: sum(one.state == state for one in outcomes) for state in STATES}
    return ", ".join(f"{count} {_WORDS[state]}" for state, count in counts.items() if count) or "nothing to do"


def json_text(outcomes: Sequence[Outcome]) -> str:
    """All outcomes without their pictures, those that need a hand first."""
    rows = [{key: value for key, value in asdict(one).items() if key != "picture"} for one in by_need(outcomes)]
    return json.dumps({"summary": counted(outcomes), "materials": rows}, indent=2, ensure_ascii=False)


def junit_text(outcomes: Sequence[Outcome]) -> str:
    """One test a surface: failed ones are errors, blocked ones failures; attention is written to its output."""
    suite = ElementTree.Element(
        "testsuite", name="amber-thicket batch", tests=str(len(outcomes)),
        errors=str(sum(one.state == "failed" for one in outcomes)),
        failures=str(sum(one.state == "blocked" for one in outcomes)),
        time=f"{sum(one.seconds for one in outcomes):.1f}",
    )  # fmt: skip
    for one in outcomes:
        case = ElementTree.SubElement(
            suite, "testcase", classname="materials", name=one.name, time=f"{one.seconds:.1f}"
        )
        told = "\n".join(_told(one))
        if one.state == "failed":
            ElementTree.SubElement(case, "error", message=one.why).text = told
        elif one.state == "blocked":
            first = next(line for line in _told(one) if line.startswith("blocked"))
            ElementTree.SubElement(case, "failure", message=first).text = told
        elif told:
            ElementTree.SubElement(case, "system-out").text = told
    ElementTree.indent(suite)
    return ElementTree.tostring(suite, encoding="unicode", xml_declaration=True) + "\n"


def html_text(outcomes: Sequence[Outcome]) -> str:
    """A page that stands alone: contact sheet, then every surface by need, with what was decided and what was found."""
    rows = by_need(outcomes)
    sheet = "".join(
        f'<a href="#m{number}">{_picture(one)}{escape(one.name)}<br><small>{_WORDS[one.state]}</small></a>'
        for number, one in enumerate(rows)
    )
    parts = "".join(_section(number, one) for number, one in enumerate(rows))
    return (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><title>Batch: {escape(counted(rows))}</title>'
        f"<style>{_STYLE}</style><h1>{len(rows)} surfaces: {escape(counted(rows))}</h1>"
        f'<div class="sheet">{sheet}</div>{parts}</html>\n'
    )


def _picture(one: Outcome) -> str:
    if not one.picture:
        return '<span class="none">no picture</span>'
    return f'<img alt="{escape(one.name)}" src="data:image/jpeg;base64,{one.picture}">'


def _section(number: int, one: Outcome) -> str:
    lines = "".join(f"<tr><td>{escape(line)}</td></tr>" for line in one.decided)
    found = "".join(
        f"<tr><td>{escape(str(row['level']))}</td><td>{_place(one, row)}</td>"
        f"<td>{escape(str(row['measured']))}</td><td>{escape(str(row['limit']))}</td></tr>"
        for row in one.checks
    )
    folder = (
        f'<p><a href="{escape(one.written[0].rpartition("/")[0])}/">{len(one.written)} files</a></p>'
        if one.written
        else ""
    )
    why = f"<p>{escape(one.why)}</p>" if one.why else ""
    folder += f'<p><a href="{escape(one.link)}">Open it</a></p>' if one.link else ""
    return (
        f'<section id="m{number}"><span class="state {one.state}">{_WORDS[one.state]}</span><h2>{escape(one.name)}</h2>'
        f"<p>{escape(one.kind or 'not opened')}: {escape(', '.join(one.files))} · {one.seconds:.1f} s</p>{why}"
        f"<table>{lines}</table><table>{found}</table>{folder}</section>"
    )


def _place(one: Outcome, row: Mapping[str, Any]) -> str:
    """A finding's rule and map, as a link to the very place where there is a page to open it in."""
    words = escape(f"{row['rule']} {row['map'] or ''}".strip())
    if not one.link or row["level"] not in ("blocked", "attention", "unknown"):
        return words
    asked = f"{row['rule']}/{row['map']}" if row["map"] else row["rule"]
    return f'<a href="{escape(one.link)}/check?finding={escape(str(asked))}">{words}</a>'


def _told(one: Outcome) -> list[str]:
    found = [
        f"{row['level']}: {row['rule']} {row['map'] or ''}: {row['measured']} ({row['limit']})" for row in one.checks
    ]
    return [*one.decided, *found]
