"""An audit for machines that build: JUnit, and SARIF 2.1.0 (OASIS standard)."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any
from urllib.parse import quote
from xml.etree import ElementTree

from amber_thicket import __version__

_SARIF = {"blocked": "error", "attention": "warning", "unknown": "note", "note": "note", "pass": "none"}


def _rows(report: dict[str, Any]) -> Iterator[tuple[dict[str, Any], str, dict[str, Any]]]:
    """(set, path of the file or "", finding), of everything there is to say."""
    for one in report["sets"]:
        for file in one["files"]:
            for finding in file["findings"]:
                yield one, file["path"], finding
        for finding in one["findings"]:
            yield one, "", finding


def sarif_text(report: dict[str, Any]) -> str:
    """One run with a result for each finding that is not well; files that could not be read are notifications."""
    rules: dict[str, dict[str, Any]] = {}
    results = []
    for one, path, finding in _rows(report):
        if finding["level"] == "pass":
            continue
        why = {"fullDescription": {"text": finding["why"]}} if finding["why"] else {}
        rules.setdefault(finding["rule"], {"id": finding["rule"], **why})
        paths = [path] if path else [file["path"] for file in one["files"]]
        mend = f" Repair: {finding['repair']}" if finding["repair"] else ""
        results.append(
            {
                "ruleId": finding["rule"],
                "level": _SARIF[finding["level"]],
                "message": {"text": f"{one['name']}: {finding['what']}{mend}"},
                "locations": [
                    {"physicalLocation": {"artifactLocation": {"uri": quote(where.replace("\\", "/"))}}}
                    for where in paths
                ],
            }
        )
    refused = [{"level": "error", "message": {"text": f"{row['file']}: {row['why']}"}} for row in report["refused"]]
    run = {
        "tool": {"driver": {"name": "amber-thicket", "version": __version__, "rules": list(rules.values())}},
        "results": results,
        "invocations": [{"executionSuccessful": not refused, "toolExecutionNotifications": refused}],
    }
    return json.dumps({"version": "2.1.0", "runs": [run]}, indent=2, ensure_ascii=False) + "\n"


def junit_text(report: dict[str, Any]) -> str:
    """A test suite for each set with a test for each of its files and one for the set: blocked ones failed, what cannot
    be told is skipped, the rest is written beside. Files that could not be read are errors of a suite of their own."""
    suites = ElementTree.Element("testsuites", name="amber-thicket audit")
    for one in report["sets"]:
        suite = ElementTree.SubElement(suites, "testsuite", name=one["name"])
        cases = [(file["path"], file["findings"]) for file in one["files"]] + [("the set", one["findings"])]
        for name, findings in cases:
            _case(suite, one["name"], name, findings)
        _counted(suite)
    if report["refused"]:
        suite = ElementTree.SubElement(suites, "testsuite", name="not read")
        for row in report["refused"]:
            case = ElementTree.SubElement(suite, "testcase", classname="not read", name=row["file"])
            ElementTree.SubElement(case, "error", message=row["why"])
        _counted(suite)
    ElementTree.indent(suites)
    return ElementTree.tostring(suites, encoding="unicode", xml_declaration=True) + "\n"


def _case(suite: ElementTree.Element, of: str, name: str, findings: list[dict[str, Any]]) -> None:
    case = ElementTree.SubElement(suite, "testcase", classname=of, name=name)
    for level, tag in (("blocked", "failure"), ("unknown", "skipped")):
        found = [finding for finding in findings if finding["level"] == level]
        if found:
            element = ElementTree.SubElement(case, tag, message=f"{found[0]['rule']}: {found[0]['what']}")
            element.text = "\n".join(f"{one['rule']}: {one['what']}" for one in found)
            break
    beside = [one for one in findings if one["level"] in ("attention", "note")]
    if beside:
        out = ElementTree.SubElement(case, "system-out")
        out.text = "\n".join(f"{one['level']}: {one['rule']}: {one['what']}" for one in beside)


def _counted(suite: ElementTree.Element) -> None:
    suite.set("tests", str(len(suite)))
    for name, tag in (("failures", "failure"), ("errors", "error"), ("skipped", "skipped")):
        suite.set(name, str(len(suite.findall(f"testcase/{tag}"))))
