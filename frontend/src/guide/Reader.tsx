/** The guide: a list of pages, a search, and the page that is read. Links within it stay in it. */
import { Search, X } from "lucide-react";
import { type MouseEvent, useEffect, useRef, useState } from "react";
import { cx } from "../ui/cx";
import { pageHtml, PAGES, search } from "./pages";

interface Props {
  page: string;
  /** Beside the pictures: the list of pages is folded into the search. */
  narrow?: boolean;
  onOpen: (page: string, anchor: string) => void;
  anchor?: string;
  /** Shown under the first heading. */
  children?: React.ReactNode;
}

export default function Reader({ page, narrow = false, onOpen, anchor = "", children }: Props) {
  const [words, setWords] = useState("");
  const text = useRef<HTMLElement>(null);
  const html = pageHtml(page);
  const found = search(words);
  useEffect(() => {
    const at = anchor ? text.current?.querySelector(`#${CSS.escape(anchor)}`) : null;
    if (at) at.scrollIntoView({ block: "start" });
    else text.current?.scrollTo({ top: 0 });
  }, [page, anchor]);
  const open = (id: string, at: string) => {
    setWords("");
    onOpen(id, at);
  };
  const clicked = (event: MouseEvent) => {
    const link = (event.target as HTMLElement).closest("a");
    const [to = "", at = ""] = (link?.getAttribute("href") ?? "").split("#");
    if (!link || event.ctrlKey || event.metaKey || event.shiftKey) return;
    event.preventDefault();
    open(to.replace(/^\/guide\//, "") || page, at);
  };
  const list = (
    <ul className="text-[13px]">
      {words
        ? found.map((one, i) => (
            <li key={i}>
              <button
                type="button"
                onClick={() => open(one.page, one.anchor)}
                className="w-full rounded-card px-2 py-1.5 text-left hover:bg-raised"
              >
                <span lang="en" translate="no" className="font-medium">
                  {one.title}
                  {one.heading !== one.title && `: ${one.heading}`}
                </span>
                <span lang="en" translate="no" className="block text-[12px] text-soft">
                  {one.excerpt}
                </span>
              </button>
            </li>
          ))
        : PAGES.map(({ id, title }) => (
            <li key={id}>
              <button
                type="button"
                aria-current={id === page ? "page" : undefined}
                lang="en"
                translate="no"
                onClick={() => open(id, "")}
                className={cx(
                  "w-full rounded-card px-2 py-1 text-left hover:bg-raised",
                  id === page && "bg-raised font-medium",
                )}
              >
                {title}
              </button>
            </li>
          ))}
      {words && !found.length && (
        <li className="px-2 py-1 text-soft" role="status">
          Nothing in the guide holds all of these words.
        </li>
      )}
    </ul>
  );
  return (
    <div className={cx("flex h-full min-h-0", narrow ? "flex-col" : "mx-auto max-w-[1160px] gap-8")}>
      <nav
        aria-label="Pages of the guide"
        className={cx("shrink-0 overflow-y-auto", narrow ? "px-3 pb-1" : "w-64 py-5", narrow && words && "flex-1")}
      >
        <label className="mb-2 flex h-7 items-center gap-2 rounded-card border border-line bg-raised px-2.5">
          <Search size={13} className="text-soft" aria-hidden />
          <input
            aria-label="Search the guide"
            placeholder="Search the guide"
            value={words}
            onChange={(event) => setWords(event.target.value)}
            className="w-full bg-transparent outline-none placeholder:text-soft"
          />
          {words && (
            <button type="button" aria-label="Search no more" onClick={() => setWords("")} className="text-soft">
              <X size={13} />
            </button>
          )}
        </label>
        {(!narrow || words) && list}
      </nav>
      {(!narrow || !words) && (
        <article
          ref={text}
          tabIndex={0}
          aria-label={PAGES.find(({ id }) => id === page)?.title ?? "Guide"}
          className={cx("guide min-w-0 flex-1 overflow-y-auto", narrow ? "px-3.5 pb-6 text-[13px]" : "py-5 pr-4 pb-16")}
        >
          {children}
          {html === null ? (
            <p>There is no such page in the guide.</p>
          ) : (
            <div lang="en" translate="no" onClick={clicked} dangerouslySetInnerHTML={{ __html: html }} />
          )}
        </article>
      )}
    </div>
  );
}
