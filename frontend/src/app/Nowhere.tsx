/** An address that leads nowhere. */
import { Button } from "../ui/Button";
import { goTo, useTitle } from "./router";

export function Nowhere() {
  useTitle("Nothing here");
  return (
    <main className="grid h-full place-items-center">
      <div className="text-center">
        <h1 className="text-[15px] font-semibold">There is nothing at this address</h1>
        <p className="mb-3 text-soft">{location.pathname}</p>
        <Button look="main" onClick={() => goTo("/")}>
          To the library
        </Button>
      </div>
    </main>
  );
}
