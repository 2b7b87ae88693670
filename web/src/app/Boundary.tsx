import { Component, type ReactNode } from "react";
import { useLocation } from "react-router";
import { Button } from "@/ui/basics";

/** A screen that could not be loaded or drawn says so with one button; the head band stays. */
class Catcher extends Component<{ children: ReactNode }, { failed: boolean }> {
  state = { failed: false };

  static getDerivedStateFromError() {
    return { failed: true };
  }

  render() {
    if (!this.state.failed) return this.props.children;
    return (
      <main role="alert" className="m-5 grid gap-3 rounded-r-md border-above border-l-4 bg-panel px-4 py-3">
        <p>This screen could not be loaded. What is stored is safe, and so is what you typed for a conclusion.</p>
        <div>
          <Button look="primary" onClick={() => window.location.reload()}>
            Load it again
          </Button>
        </div>
      </main>
    );
  }
}

/** One catcher a screen: another screen is tried afresh. */
export function Boundary({ children }: { children: ReactNode }) {
  return <Catcher key={useLocation().pathname.split("/")[1]}>{children}</Catcher>;
}
