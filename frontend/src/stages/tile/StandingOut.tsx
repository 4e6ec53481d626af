/** What gives the repeat away, what is filled already, and a way to mark places by hand. */
import { CircleDashed, Paintbrush, Spline, Undo2 } from "lucide-react";
import { usePlaces } from "../../editor/figures";
import type { Material, Places } from "../../api/types";
import { Button } from "../../ui/Button";
import { Level } from "../../ui/Level";
import { Slider } from "../../ui/Slider";
import { change, useEditor, valueOf } from "../../editor/store";
import { fill, leaveOut, standsOut, unfill, useMarking } from "./marking";

/** Methods that can plan round what is left out. */
const PLANNED = /cut|lattice|joints|regrow|strew/;

export function StandingOut({ material }: { material: Material }) {
  const found = usePlaces(material);
  const { marking, radius, busy } = useMarking();
  const strong = found ? standsOut(found) : [];
  const planned = useEditor((state) => PLANNED.test(String(valueOf(state, "tile.join.method"))));
  const per = material.preview.finished[0];
  return (
    <section aria-label="What stands out" className="mt-2 border-t border-line pt-2">
      <h3 className="flex items-center justify-between font-medium">
        What stands out
        <Button
          look={marking ? "main" : "quiet"}
          aria-pressed={marking}
          className="h-6 px-1.5 text-[12px]"
          onClick={() => useMarking.setState({ marking: !marking })}
        >
          <Paintbrush size={13} /> Fill by hand
        </Button>
      </h3>
      {marking && (
        <div className="py-1">
          <p className="flex justify-between">
            <span>Size of the place</span>
            <span className="figures">{Math.round(radius * 2 * per)} px</span>
          </p>
          <Slider
            label="Size of the place"
            value={radius * 100}
            min={0.5}
            max={12}
            step={0.1}
            valueText={`${Math.round(radius * 2 * per)} px`}
            onChange={(next) => useMarking.setState({ radius: next / 100 })}
          />
          <p className="text-[12px] text-soft">
            Click a place of the tile in the first view; it is filled from where the surroundings are most alike, in
            every map.
          </p>
        </div>
      )}
      {!found && <p className="py-1 text-[12px] text-soft">Looking for what catches the eye …</p>}
      {found && strong.length === 0 && <WithoutPlaces found={found} />}
      {strong.length > 0 && (
        <>
          <ul className="flex flex-col py-1">
            {strong.map((place) => (
              <li key={`${place.x}/${place.y}`} className="flex h-7 items-center justify-between gap-2">
                <span className="flex items-center gap-1.5 whitespace-nowrap">
                  {place.points.length > 0 ? (
                    <Spline size={13} className="text-soft" aria-label="A line" />
                  ) : (
                    <CircleDashed size={13} className="text-soft" />
                  )}
                  <span className="figures">{`${Math.round(place.x * per)}, ${Math.round(place.y * material.preview.finished[1])} px`}</span>
                </span>
                <span className="flex items-center gap-1 whitespace-nowrap">
                  <span className="figures text-soft">{place.strength.toFixed(1)} ×</span>
                  {planned && (
                    <Button
                      look="quiet"
                      disabled={busy}
                      className="h-6 px-1.5 text-[12px]"
                      onClick={() => void leaveOut(material.id, [place])}
                    >
                      Leave out
                    </Button>
                  )}
                  <Button
                    look="quiet"
                    disabled={busy}
                    className="h-6 px-1.5 text-[12px]"
                    onClick={() => void fill(material.id, [place])}
                  >
                    Fill
                  </Button>
                </span>
              </li>
            ))}
          </ul>
          <Button disabled={busy} onClick={() => void fill(material.id, strong)}>
            {busy ? "Filling …" : strong.length > 1 ? `Fill all ${strong.length}` : "Fill it"}
          </Button>
          <p className="pt-1 text-[12px] text-soft">
            How unlike all other places each is; {found!.alarm} × and more is seen in the repeat. Left out, the method
            plans round it; filled, the tile stays as planned.
          </p>
        </>
      )}
      {found && found.filled.length > 0 && (
        <p className="flex items-center justify-between pt-1">
          <span>{found.filled.length === 1 ? "1 place is filled" : `${found.filled.length} places are filled`}</span>
          <Button look="quiet" className="h-6 px-1.5 text-[12px]" onClick={() => unfill(found.filled.length - 1)}>
            <Undo2 size={13} /> Take the last back
          </Button>
        </p>
      )}
      {found && found.aside > 0 && (
        <p className="flex items-center justify-between gap-2 pt-1 text-[12px] text-soft">
          <span>
            {found.aside === 1 ? "1 fill is" : `${found.aside} fills are`} laid aside: what{" "}
            {found.aside === 1 ? "it mends" : "they mend"} shows nowhere in this plan. As soon as it does, it is filled
            again.
          </span>
          <Button
            look="quiet"
            className="h-6 px-1.5 text-[12px]"
            onClick={() => change({ "tile.repair.aside": null }, "Fills laid aside dropped")}
          >
            Drop
          </Button>
        </p>
      )}
    </section>
  );
}

/** What is said where no single place stands out. */
function WithoutPlaces({ found }: { found: Places }) {
  const worst = Math.max(found.places[0]?.strength ?? 0, found.blotches);
  const [level, words] =
    found.blotches >= found.alarm
      ? (["attention", "Slow blotches show at every repeat: even the drift."] as const)
      : worst >= found.perhaps
        ? (["unknown", "Something may catch the eye: look at it repeated."] as const)
        : (["pass", "Nothing catches the eye at every repeat."] as const);
  return (
    <>
      <p className="flex items-center gap-2 py-1">
        <Level level={level} word={false} /> {words}
      </p>
      {found.blotches >= found.alarm && (
        <Button onClick={() => change({ "even.drift.amount": 100 }, "Drift evened")}>Even it</Button>
      )}
    </>
  );
}
