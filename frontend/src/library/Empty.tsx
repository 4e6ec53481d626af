import { goTo } from "../app/router";
import { beginFirstJob } from "../guide/firstJob";
import { Button } from "../ui/Button";

/** The empty library: what to do first. */
export function Empty({ onPick }: { onPick: () => void }) {
  return (
    <div className="grid h-full place-items-center">
      <div className="flex w-[520px] flex-col items-center rounded-[14px] border-2 border-dashed border-line px-10 py-12 text-center">
        <Thicket />
        <h2 className="mt-5 text-[18px] font-semibold">Bring in a surface</h2>
        <p className="mt-1 mb-5 max-w-96 text-soft">
          Photographs, a light set, a cut-out, existing maps, or words. Drop files anywhere, or paste a picture. It
          becomes a seamless map set in eight stages, and nothing you do to it is final.
        </p>
        <Button look="main" className="h-8 px-4" onClick={onPick}>
          Choose what to bring
        </Button>
        <p className="mt-2 flex gap-1">
          <Button look="quiet" onClick={() => beginFirstJob()}>
            Show me the first job
          </Button>
          <Button look="quiet" onClick={() => goTo("/guide")}>
            Read the guide
          </Button>
        </p>
        <p className="mt-3 text-[12px] text-soft">
          JPEG, PNG, TIFF, WebP, HEIC, AVIF, OpenEXR, camera RAW and many more; up to 200 megapixels
        </p>
      </div>
    </div>
  );
}

/** Twigs and leaves round a drop: the mark, grown. */
function Thicket() {
  return (
    <svg width="180" height="104" viewBox="0 0 180 104" aria-hidden fill="none" strokeLinecap="round">
      <g stroke="#8a6239" strokeWidth="2">
        <path d="M8 98C40 84 62 60 88 14M172 98C140 86 118 60 96 20M30 100C66 92 110 70 150 30M150 102C112 94 70 72 30 34" />
        <path d="M46 78 34 62M60 62 52 44M128 72l14-14M118 58l6-18M76 84l-6-14M104 84l10-12" strokeWidth="1.500" />
      </g>
      <g fill="#5f7f4a">
        <path d="M34 62c-8-1-12-7-12-13 7 0 12 5 12 13zM52 44c-6-4-8-10-5-16 6 3 8 9 5 16zM142 58c8 0 13-6 14-12-8 0-13 5-14 12zM124 40c6-4 8-10 5-15-6 3-8 9-5 15zM70 70c-7 0-11-5-11-10 6 0 10 4 11 10zM114 72c6-1 10-6 10-11-6 1-10 5-10 11z" />
      </g>
      <path d="M91 26c11 13 19 23 19 34a19 19 0 0 1-38 0c0-11 8-21 19-34z" fill="#e39a2d" />
      <path d="M82 62a10 10 0 0 0 8 10" stroke="#f6cd86" strokeWidth="2.500" />
    </svg>
  );
}
