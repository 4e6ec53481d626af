import { tileSetOf } from "../../views/useTileSet";
import { useEffect, useState } from "react";
import { useFindings } from "../../editor/figures";
import { change, useEditor, valueOf } from "../../editor/store";
import type { Finding, Level as LevelName, Material, SettingPath, Value } from "../../api/types";
import { Button } from "../../ui/Button";
import { Level } from "../../ui/Level";
import { layerName } from "../../views/names";
import { setView, useViews } from "../../views/state";
import { Operation } from "../Operation";
import { useWanted } from "./wanted";

const ORDER: { level: LevelName; words: string }[] = [
  { level: "blocked", words: "blocked" },
  { level: "attention", words: "for your attention" },
  { level: "unknown", words: "cannot be told" },
  { level: "note", words: "to know" },
  { level: "pass", words: "passed" },
];

const SURE: Record<Finding["sure"], string> = {
  counted: "certain",
  clear: "clear of the limit",
  close: "close to the limit",
  likely: "likely, not certain",
  open: "not known",
};

export function Check({ material }: { material: Material }) {
  const { findings, fresh } = useFindings(material);
  const [opened, setOpened] = useState<string | null>(null);
  const wanted = useWanted();
  useEffect(() => {
    const found = wanted && fresh && findings?.findIndex((one) => one.rule === wanted.rule && one.map === wanted.map);
    if (found === null || found === undefined || found === false) return;
    // What has been mended since is not there any more.
    useWanted.setState(null, true);
    if (found < 0) return;
    setOpened(idsOf(findings!).get(findings![found]!)!);
    lookAt(findings![found]!);
  }, [wanted, fresh, findings]);
  if (!findings) return <p className="pt-2 text-soft">Looking at all maps …</p>;
  const counts = ORDER.map(({ level, words }) => ({
    level,
    words,
    count: findings.filter((f) => f.level === level).length,
  })).filter((c) => c.count);
  const open = findings.filter((f) => f.level !== "pass");
  const passed = findings.filter((f) => f.level === "pass");
  const ids = idsOf(findings);
  const row = (finding: Finding) => {
    const id = ids.get(finding)!;
    const toggle = () => {
      setOpened(opened === id ? null : id);
      if (opened === id) useViews.setState({ evidence: null });
      else lookAt(finding);
    };
    return <Row key={id} finding={finding} open={opened === id} onToggle={toggle} />;
  };
  const { count, shown } = tileSetOf(material);
  return (
    <>
      {!fresh && <p className="pt-1.5 text-[12px] text-soft">These are of the state before. Looking again …</p>}
      {count > 1 && (
        <p className="pt-1.5 text-[12px] text-soft">
          Tile {shown} of {count} is looked at here; Pack checks every one.
        </p>
      )}
      <ul className={`flex flex-wrap gap-x-4 gap-y-1 py-1.5 ${fresh ? "" : "text-soft"}`}>
        {counts.map((c) => (
          <li key={c.level} className="flex items-center gap-1.5">
            <Level level={c.level} word={false} />
            <span className="figures">{c.count}</span> <span className="text-soft">{c.words}</span>
          </li>
        ))}
      </ul>
      <Operation id="check.limits" without={["waived"]} />
      <ul className="border-t border-line">{open.map(row)}</ul>
      {open.length === 0 && fresh && <p className="py-3">Nothing to settle. The set can leave.</p>}
      <h3 className="mt-2 text-[12px] text-soft">Passed</h3>
      <ul className="border-t border-line">{passed.map(row)}</ul>
    </>
  );
}

/** A name for each finding that stays while others come and go; a rule may find several things on one map. */
function idsOf(findings: readonly Finding[]): Map<Finding, string> {
  const counts = new Map<string, number>();
  return new Map(
    findings.map((finding) => {
      const name = `${finding.rule}/${finding.map ?? ""}`;
      const count = counts.get(name) ?? 0;
      counts.set(name, count + 1);
      return [finding, `${name}/${count}`];
    }),
  );
}

/** Both views show the place a finding is about. */
function lookAt(finding: Finding) {
  if (finding.map) {
    setView("first", { what: finding.map, how: "single" });
    // Beside it, as it returns.
    if (finding.box) setView("second", { what: finding.map, how: "repeated", repeat: 2 });
  }
  const [left, top, wide, high] = finding.box ?? [0, 0, 1, 1];
  useViews.setState({
    evidence: finding.box ? { map: finding.map, box: finding.box } : null,
    // What covers much of the tile is seen as a whole; a place is looked at closely, in both views.
    look: finding.box && wide * high < 0.3 ? { x: left + wide / 2, y: top + high / 2, zoom: 1, exact: true } : null,
  });
}

function Row({ finding, open, onToggle }: { finding: Finding; open: boolean; onToggle: () => void }) {
  return (
    <li className="border-b border-line" data-rule={finding.rule} data-level={finding.level}>
      <button
        type="button"
        aria-expanded={open}
        onClick={onToggle}
        className="grid w-full grid-cols-[16px_1fr_auto] items-center gap-x-2 py-1.5 text-left hover:bg-raised"
      >
        <Level level={finding.level} word={false} />
        <span className="min-w-0 leading-[1.3]">{finding.title}</span>
        <span className="text-[12px] text-soft">{finding.map ? layerName(finding.map) : ""}</span>
        <span className="col-span-2 col-start-2 text-soft">
          <span className="figures">{finding.measured}</span>
          {finding.waived && " · let be"}
          {finding.sure === "close" && " · close to the limit"}
        </span>
      </button>
      {open && (
        <div className="flex flex-col gap-1.5 pb-2.5 pl-6 text-[12.5px]">
          <p>{finding.why}</p>
          <p className="text-soft">
            Limit: <span className="figures">{finding.limit}</span>. Source: {finding.source}.
          </p>
          <p className="text-soft">
            How sure: <span className="text-text">{SURE[finding.sure]}</span>; {finding.evidence}.
          </p>
          <div className="flex flex-wrap items-center gap-2">
            {finding.fix && (
              <Button
                look="main"
                onClick={() => change(finding.fix!.changes as Record<SettingPath, Value | null>, finding.fix!.label)}
              >
                {finding.fix.label}
              </Button>
            )}
            {(finding.level === "attention" || finding.waived) && <Waiver finding={finding} />}
          </div>
        </div>
      )}
    </li>
  );
}

/** Somebody looked, and it may stay: a note from now on, until it is worse. */
function Waiver({ finding }: { finding: Finding }) {
  const now = useEditor((state) => valueOf(state, "check.limits.waived"));
  const { rule, measured, ratio, box } = finding;
  const map = finding.map ?? "";
  if (finding.waived)
    return (
      <Button
        onClick={() =>
          change(
            { "check.limits.waived": now.filter((one) => one.rule !== rule || one.map !== map) },
            "No longer let be",
          )
        }
      >
        Draw attention to it again
      </Button>
    );
  return (
    <Button
      title="You looked at it and it may stay. It comes up again when it gets worse."
      onClick={() => change({ "check.limits.waived": [...now, { rule, map, ratio, measured, box }] }, "Let be")}
    >
      Let it be
    </Button>
  );
}
