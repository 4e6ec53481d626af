import { ArrowLeft } from "lucide-react";
import type { ReactNode } from "react";
import { Mark } from "../ui/Mark";
import { go } from "./router";
import { ThemeButton } from "./ThemeButton";

interface Props {
  title: string;
  /** A few words after the title. */
  about?: ReactNode;
  /** What the page offers, at the end. */
  children?: ReactNode;
  /** What lies along the lower edge, as progress does. */
  edge?: ReactNode;
}

/** The head of a page beside the library: the way back, what it is, what it offers. */
export function PageHeader({ title, about, children, edge }: Props) {
  return (
    <header className="relative flex h-14 shrink-0 items-center gap-3 border-b border-line px-6">
      <button type="button" onClick={() => go(null)} className="flex items-center gap-2 text-soft hover:text-text">
        <Mark size={26} /> <ArrowLeft size={14} /> Library
      </button>
      <h1 className="truncate text-[16px] font-semibold">{title}</h1>
      {about && <span className="text-soft">{about}</span>}
      <span className="flex-1" />
      {children}
      <ThemeButton />
      {edge && <div className="absolute inset-x-0 bottom-0">{edge}</div>}
    </header>
  );
}
