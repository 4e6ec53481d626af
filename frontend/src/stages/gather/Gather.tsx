import type { Material } from "../../api/types";
import { Facts } from "../../ui/Facts";
import { Level } from "../../ui/Level";
import { Operation } from "../Operation";

export function Gather({ material }: { material: Material }) {
  const { source } = material;
  return (
    <>
      <Facts
        rows={[
          ["File", source.file],
          ["Size", `${source.width} × ${source.height} px · ${((source.width * source.height) / 1e6).toFixed(1)} MP`],
          ["Depth", `${source.bits} bit${source.floating ? " float" : ""} ${source.format.toUpperCase()}`],
          ["On disk", `${(source.bytes / 1e6).toFixed(1)} MB`],
        ]}
      />
      {source.notes.length > 0 && <p className="pb-1 text-[12px] text-soft">Read with care: {source.notes.join("; ")}.</p>}
      <h3 className="mt-2 border-t border-line pt-2 font-medium">Triage</h3>
      <ul className="flex flex-col gap-2 py-1.5">
        {source.findings.map((finding) => (
          <li key={finding.what} className="grid grid-cols-[16px_1fr] gap-x-2">
            <Level level={finding.level} word={false} />
            <span className="flex justify-between gap-3">
              <span>{finding.what}</span>
              <span className="figures text-soft">{finding.measured}</span>
            </span>
            {finding.advice && <span className="col-start-2 text-[12px] text-soft">{finding.advice}</span>}
          </li>
        ))}
      </ul>
      <div className="mt-1 border-t border-line pt-1">
        <Operation id="gather.orient" />
      </div>
    </>
  );
}
