/** What lies on the surface: deposits, or another material of the library. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { X } from "lucide-react";
import { api } from "../../api/client";
import type { Cover } from "../../api/types";
import type { Material, SettingInfo, Value } from "../../api/types";
import { change, useEditor, valueOf } from "../../editor/store";
import { cx } from "../../ui/cx";
import { Pick } from "../../ui/Pick";
import { Switch } from "../../ui/Switch";
import { Field } from "../Field";
import { Setting } from "../Setting";
import { freshId, useValue, useZoneList } from "./zones";

const PATH = "response.covers.covers";
const now = () => valueOf(useEditor.getState(), PATH);
const put = (covers: Cover[], label: string, gesture = "") => change({ [PATH]: covers }, label, gesture);
const putOne = (id: string, changed: Partial<Cover>, label: string, gesture = "") =>
  put(
    now().map((cover) => (cover.id === id ? ({ ...cover, ...changed } as Cover) : cover)),
    label,
    gesture,
  );

/** What says nothing in a case is not shown. */
const hidden = (cover: Cover): string[] => [
  ...(cover.material ? ["variation", "roughness", "metallic"] : ["repeat"]),
  ...(cover.where === "everywhere" ? ["share", "size", "soft", "broken"] : []),
  ...(cover.where === "level" ? ["size", "smooth"] : []),
];

export function Covers({ material }: { material: Material }) {
  const covers = useValue(PATH);
  const about = useEditor((state) => state.about);
  const [open, setOpen] = useState<string | null>(null);
  const others =
    useQuery({ queryKey: ["materials", false], queryFn: () => api.materials(false) }).data?.filter(
      (one) => one.id !== material.id,
    ) ?? [];
  if (!about) return null;
  const add = (choice: string) => {
    const id = freshId(covers.map((cover) => cover.id));
    const deposit = about.deposits.find(({ label }) => label === choice);
    const other = others.find((one) => one.id === choice);
    const cover: Cover | null = deposit
      ? { id, name: deposit.label, ...deposit.changes }
      : other
        ? { id, name: other.name, material: other.id, thick: 30, smooth: 30 }
        : null;
    if (!cover) return;
    put([...covers, cover], `${cover.name} laid on`);
    setOpen(id);
  };
  return (
    <section aria-label="Covers" className="border-t border-line pt-1">
      <div className="flex h-8 items-center justify-between">
        <h3 className="font-medium">Lies on it</h3>
        {covers.length < 4 && (
          <Pick
            label="Lay something on"
            value=""
            placeholder="Lay on"
            groups={[
              { label: "Deposits", options: about.deposits.map(({ label }) => ({ value: label, label })) },
              ...(others.length
                ? [
                    {
                      label: "Materials of the library",
                      options: others.slice(0, 40).map(({ id, name }) => ({ value: id, label: name })),
                    },
                  ]
                : []),
            ]}
            onChange={add}
            className="h-6.5 px-2 text-[12px]"
          />
        )}
      </div>
      <Setting path="response.covers.wet" />
      <Setting path="response.covers.puddles" />
      <ul aria-label="What lies on it" className="flex flex-col gap-0.5">
        {covers.map((cover) => (
          <li key={cover.id} className={cx("rounded-card", open === cover.id && "bg-raised")}>
            <div className="flex h-8 items-center gap-2 px-1.5">
              <button
                type="button"
                aria-expanded={open === cover.id}
                className="flex min-w-0 flex-1 items-center gap-2 text-left"
                onClick={() => setOpen(open === cover.id ? null : cover.id)}
              >
                <span
                  aria-hidden
                  className="size-4 shrink-0 rounded-[4px] border border-line"
                  style={{ background: cover.material ? "transparent" : String(cover.colour ?? "#8a7f70") }}
                />
                <span className="truncate">{cover.name}</span>
              </button>
              <Switch
                label={`${cover.name} lies on it`}
                checked={cover.on ?? true}
                onChange={(on) => putOne(cover.id, { on }, `${cover.name} ${on ? "on" : "off"}`)}
              />
              <button
                type="button"
                aria-label={`Take ${cover.name} away`}
                className="rounded-[5px] p-1 text-soft hover:bg-lifted hover:text-text"
                onClick={() =>
                  put(
                    covers.filter((one) => one.id !== cover.id),
                    `${cover.name} taken away`,
                  )
                }
              >
                <X size={13} />
              </button>
            </div>
            {open === cover.id && (
              <OpenCover
                cover={cover}
                infos={about.shapes.cover.filter((info) => !hidden(cover).includes(info.name))}
              />
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

function OpenCover({ cover, infos }: { cover: Cover; infos: SettingInfo[] }) {
  const zones = useZoneList();
  return (
    <div className="px-2.5 pb-2">
      {!cover.material && (
        <label className="flex h-8 items-center justify-between">
          Colour
          <input
            type="color"
            aria-label={`Colour of ${cover.name}`}
            value={String(cover.colour ?? "#8a7f70")}
            onChange={(event) => putOne(cover.id, { colour: event.target.value }, "Colour", `colour-${cover.id}`)}
            className="h-6 w-12 rounded-[5px] border border-line bg-ground"
          />
        </label>
      )}
      {infos.map((info) => (
        <Field
          key={info.name}
          info={info}
          spoken={`${cover.name}, ${info.label.toLowerCase()}`}
          value={(cover[info.name as keyof Cover] as Value | undefined) ?? info.default}
          onChange={(next, gesture) =>
            putOne(cover.id, { [info.name]: next }, `${cover.name}, ${info.label.toLowerCase()}`, gesture)
          }
          onReset={() => putOne(cover.id, { [info.name]: info.default }, `${info.label} reset`)}
        />
      ))}
      {zones.length > 0 && (
        <div className="flex min-h-8 items-center justify-between">
          <span>Only in</span>
          <Pick
            label={`${cover.name}, only in`}
            value={String(cover.zone || "all")}
            groups={[
              {
                options: [
                  { value: "all", label: "All of it" },
                  ...zones.map((zone) => ({ value: zone.id, label: zone.name || zone.id })),
                ],
              },
            ]}
            onChange={(zone) => putOne(cover.id, { zone: zone === "all" ? "" : zone }, `${cover.name}, only in`)}
            className="h-6.5 px-2"
          />
        </div>
      )}
    </div>
  );
}
