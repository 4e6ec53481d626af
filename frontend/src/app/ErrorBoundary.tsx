/** What stands where a page could not be drawn, instead of nothing. */
import { Component, type ReactNode } from "react";
import { Button } from "../ui/Button";
import { goTo } from "./router";

interface State {
  error: Error | null;
}

/** Give it another key where another page begins, so that what went wrong on one is left behind. */
export class ErrorBoundary extends Component<{ children: ReactNode }, State> {
  state: State = { error: null };

  static getDerivedStateFromError(error: unknown): State {
    return { error: error instanceof Error ? error : new Error(String(error)) };
  }

  render() {
    const { error } = this.state;
    if (!error) return this.props.children;
    return (
      <main className="grid h-full place-items-center px-6" role="alert">
        <div className="max-w-xl text-center">
          <h1 className="text-[15px] font-semibold">This page could not be shown</h1>
          <p className="pt-1">
            Nothing that was saved is lost. Load it again; if it stays like this, report it with this line:
          </p>
          <p translate="no" className="figures py-3 break-words text-soft">
            {error.message}
          </p>
          <div className="flex justify-center gap-2">
            <Button look="main" onClick={() => location.reload()}>
              Load it again
            </Button>
            <Button
              onClick={() => {
                goTo("/");
                this.setState({ error: null });
              }}
            >
              To the library
            </Button>
          </div>
        </div>
      </main>
    );
  }
}
