/** What the capture is good for; a finding that lies somewhere shows its place on the photograph. */
import { Crosshair } from "lucide-react";
import type { Material, SourceFinding } from "../../api/types";
import { useTriage } from "../../editor/figures";
import { Button } from "../../ui/Button";
import { Level } from "../../ui/Level";
import { extent } from "../../views/space";
import { setView, useViews } from "../../views/state";

const ORDER = { blocked: 0, attention: 1, unknown: 2, note: 3, pass: 4 };

export function Triage({ material }: { material: Material }) {
  const evidence = useViews((state) => state.evidence);
  const show = (finding: SourceFinding) => {
    if (!finding.box || evidence?.of === finding.what) {
      useViews.setState({ evidence: null });
      return;
    }
    const photo = extent("gathered", material.preview);
    const [left, top, right, bottom] = finding.box;
    setView("first", { what: "gathered", how: "single" });
    useViews.setState({
      evidence: {
        map: "gathered",
        of: finding.what,
        box: [
          photo.left + left * photo.width,
          photo.top + top * photo.height,
          (right - left) * photo.width,
          (bottom - top) * photo.height,
        ],
      },
      look: null,
    });
  };
  const told = useTriage(material);
  if (!told) return <p className="py-1.5 text-[12px] text-soft">Looking at the picture …</p>;
  const findings = [...told].sort((one, other) => ORDER[one.level] - ORDER[other.level]);
  return (
    <ul className="flex flex-col gap-2 py-1.5">
      {findings.map((finding) => (
        <li key={finding.what} className="grid grid-cols-[16px_1fr] gap-x-2" data-finding={finding.what}>
          <Level level={finding.level} word={false} />
          <span className="flex items-start justify-between gap-3">
            <span>{finding.what}</span>
            <span className="figures text-right text-soft">{finding.measured}</span>
          </span>
          {finding.advice && <span className="col-start-2 text-[12px] text-soft">{finding.advice}</span>}
          {finding.box && (
            <Button
              look="quiet"
              aria-pressed={evidence?.of === finding.what}
              className="col-start-2 h-6 self-start justify-self-start px-1.5 text-[12px]"
              onClick={() => show(finding)}
            >
              <Crosshair size={13} /> Show where
            </Button>
          )}
        </li>
      ))}
    </ul>
  );
}
