import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask } from "@/api/client";
import { Button } from "@/ui/basics";
import type { Bay, Need } from "./dock";

const AT_ONCE = 3;

/** Equipment on the way to recorders that is not there: a dock without power, a network that the server has no part in, a port it may not open. */
export function Missing() {
  const places = useQuery({ queryKey: ["recorders", "networks"], queryFn: () => ask(api.GET("/api/networks")) });
  const missing = (places.data ?? []).filter((each) => each.missing && !each.empty);
  if (missing.length === 0) return null;
  return (
    <ul aria-label="Missing equipment" className="mb-3 rounded-lg border border-slate bg-panel px-3 py-2 text-[13.5px]">
      {missing.map((each) => (
        <li key={`${each.what} ${each.name}`}>
          <b className="font-semibold">{each.name}</b>: {each.missing}
        </li>
      ))}
    </ul>
  );
}

/** What waits for somebody's hand: who, why, what to press. A cell goes by itself once it is done. */
export function NeedsHand({
  needs,
  onStop,
  onLook,
}: {
  needs: { bay: Bay; need: Need }[];
  onStop: (bay: Bay) => void;
  onLook: (bay: Bay) => void;
}) {
  const [all, setAll] = useState(false);
  if (needs.length === 0) return null;
  const shown = all ? needs : needs.slice(0, AT_ONCE);
  return (
    <section aria-label="Needs a hand" className="mb-3 rounded-lg border border-slate bg-panel">
      <ul className="grid grid-cols-1 min-[900px]:grid-cols-3">
        {shown.map(({ bay, need }) => (
          <li key={bay.recorder.id} className="flex gap-3 border-hair px-3 py-2 not-first:border-l">
            <span className="grid size-10 flex-none place-items-center rounded-full bg-slate font-bold font-narrow text-[12.5px] text-white">
              {bay.recorder.token}
            </span>
            <div className="min-w-0 text-[13px]">
              <b className="block font-semibold text-[14px]">{need.title}</b>
              <span className="block text-soft">
                {bay.recorder.holder && `${bay.recorder.holder}. `}
                {need.what}
              </span>
              {need.deed === "stop" && (
                <Button look="quiet" size="small" className="-ml-2" onClick={() => onStop(bay)}>
                  Stop recording
                </Button>
              )}
              {need.deed === "look" && (
                <Button look="quiet" size="small" className="-ml-2" onClick={() => onLook(bay)}>
                  Look again
                </Button>
              )}
            </div>
          </li>
        ))}
      </ul>
      {needs.length > AT_ONCE && (
        <button
          type="button"
          className="w-full border-hair border-t px-3 py-1 text-left text-[13px] text-act hover:underline"
          onClick={() => setAll(!all)}
        >
          {all ? "fewer" : `and ${needs.length - AT_ONCE} more`}
        </button>
      )}
    </section>
  );
}
