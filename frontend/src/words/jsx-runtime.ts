/** What elements are made with. It says the words an element shows in the language that is spoken: its text and the
 * attributes that are read. Text of elements with `translate="no"` stays as it is. See say.ts; put in place by vite.config.ts. */
import * as made from "react/jsx-runtime";
import { say, translating } from "./say";

type Props = Record<string, unknown>;

const READ = [
  "title",
  "aria-label",
  "aria-description",
  "aria-valuetext",
  "aria-roledescription",
  "placeholder",
  "alt",
];
const NOT_READ = new Set(["code", "pre", "style", "script", "textarea"]);

const isText = (child: unknown) => typeof child === "string" || typeof child === "number";
const isNothing = (child: unknown) => child === null || child === undefined || typeof child === "boolean";

/** Children with each run of text said as one; what comes after a run keeps its place. */
function saidChildren(children: unknown): unknown {
  if (typeof children === "string") return say(children);
  if (!Array.isArray(children)) return children;
  const said = [...(children as unknown[])];
  for (let start = 0; start < said.length; start++) {
    if (!isText(said[start])) continue;
    let end = start + 1;
    let run = String(said[start]);
    while (end < said.length && (isText(said[end]) || isNothing(said[end]))) {
      if (isText(said[end])) run += String(said[end]);
      end += 1;
    }
    const text = say(run);
    if (text !== run) said.splice(start, end - start, text, ...Array<null>(end - start - 1).fill(null));
    start = end - 1;
  }
  return said;
}

function saidProps(type: unknown, props: Props): Props {
  if (typeof type !== "string" || !translating() || props.translate === "no") return props;
  const said = { ...props };
  for (const name of READ) if (typeof said[name] === "string") said[name] = say(said[name]);
  if (!NOT_READ.has(type) && "children" in said) said.children = saidChildren(said.children);
  return said;
}

export const Fragment = made.Fragment;
export const jsx = (type: never, props: Props, key?: string) => made.jsx(type, saidProps(type, props), key);
export const jsxs = (type: never, props: Props, key?: string) => made.jsxs(type, saidProps(type, props), key);
