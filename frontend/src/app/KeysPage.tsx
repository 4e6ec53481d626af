import { Dialog } from "../ui/Dialog";
import { ACTIONS, useKeysPage } from "./keys";

const HANDS = [
  ["Wheel", "Closer or further; both views follow"],
  ["Drag", "Move the picture, or turn the lit shape"],
  ["Double-click a picture", "Fit it again"],
  ["Double-click a slider", "Back to its default"],
  ["Arrow keys, with Shift finer", "Move a slider or a handle"],
] as const;

export function KeysPage() {
  const { open } = useKeysPage();
  return (
    <Dialog title="Keys" open={open} onClose={() => useKeysPage.setState({ open: false })}>
      <div className="grid grid-cols-2 gap-x-8 gap-y-4">
        {(["Stages", "Views", "Work"] as const).map((group) => (
          <section key={group}>
            <h3 className="mb-1 text-soft">{group}</h3>
            <dl>
              {ACTIONS.filter((a) => a.group === group).map((action) => (
                <div key={action.id} className="flex justify-between gap-4 border-b border-line py-1">
                  <dt>{action.label}</dt>
                  <dd>
                    <kbd className="figures rounded-[4px] border border-line bg-raised px-1.5">{action.keys}</kbd>
                  </dd>
                </div>
              ))}
            </dl>
          </section>
        ))}
        <section>
          <h3 className="mb-1 text-soft">By hand</h3>
          <dl>
            {HANDS.map(([what, does]) => (
              <div key={what} className="flex justify-between gap-4 border-b border-line py-1">
                <dt>{does}</dt>
                <dd className="text-right text-soft">{what}</dd>
              </div>
            ))}
          </dl>
        </section>
      </div>
    </Dialog>
  );
}
