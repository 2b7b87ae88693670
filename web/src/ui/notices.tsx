import { createContext, type ReactNode, useCallback, useContext, useMemo, useState } from "react";
import { Button } from "./basics";

interface Notice {
  id: number;
  text: string;
  bad: boolean;
  undo?: () => void;
}

interface Notices {
  say: (text: string, undo?: () => void) => void;
  fail: (error: unknown) => void;
}

const Context = createContext<Notices>({ say: () => {}, fail: () => {} });
export const useNotices = () => useContext(Context);

let next = 1;

/** Short notices at the bottom; one that can be undone carries the button. Bad news stays until it is closed. */
export function NoticesProvider({ children }: { children: ReactNode }) {
  const [notices, setNotices] = useState<Notice[]>([]);
  const close = useCallback((id: number) => setNotices((all) => all.filter((n) => n.id !== id)), []);
  const add = useCallback(
    (text: string, bad: boolean, undo?: () => void) => {
      const id = next++;
      setNotices((all) => [...all.slice(-2), { id, text, bad, undo }]);
      if (!bad) setTimeout(() => close(id), undo ? 9000 : 5000);
    },
    [close],
  );
  const value = useMemo<Notices>(
    () => ({
      say: (text, undo) => add(text, false, undo),
      fail: (error) => add(error instanceof Error ? error.message : String(error), true),
    }),
    [add],
  );
  return (
    <Context.Provider value={value}>
      {children}
      <div
        className="pointer-events-none fixed bottom-4 left-1/2 z-[60] grid w-max max-w-[min(460px,calc(100vw-2rem))] -translate-x-1/2 gap-2"
        aria-live="polite"
      >
        {notices.map((n) => (
          <div
            key={n.id}
            role={n.bad ? "alert" : "status"}
            className={`pointer-events-auto flex items-center gap-3 rounded-md border bg-panel px-4 py-2.5 shadow-lg ${n.bad ? "border-above" : "border-line"}`}
          >
            <span>{n.text}</span>
            {n.undo && (
              <Button
                look="quiet"
                onClick={() => {
                  n.undo?.();
                  close(n.id);
                }}
              >
                Undo
              </Button>
            )}
            {n.bad && (
              <Button look="quiet" onClick={() => close(n.id)}>
                Close
              </Button>
            )}
          </div>
        ))}
      </div>
    </Context.Provider>
  );
}
