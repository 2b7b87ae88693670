import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask } from "@/api/client";
import { Button } from "@/ui/basics";
import { type Bay, isCut, isStored, type Need } from "./dock";

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

/** Recorders that keep one recording and hold one that is not stored: the next start, at the pit head or at somebody's home, overwrites it. */
export function OneSlot({ bays }: { bays: Bay[] }) {
  const unsafe = bays.filter(
    (bay) => bay.recorder.keeps_one && bay.sessions.some((found) => !isStored(found) && found.standing !== "deleted"),
  );
  const first = unsafe[0];
  if (!first) return null;
  const tokens = unsafe.map((bay) => bay.recorder.token).join(", ");
  const coming = unsafe.flatMap((bay) => bay.sessions.filter((found) => found.standing === "arriving"));
  const [size, received] = [coming.reduce((n, f) => n + f.size, 0), coming.reduce((n, f) => n + f.received, 0)];
  const slipped = coming.some(isCut);
  if (coming.length > 0)
    return (
      // Somebody holds the reader by hand meanwhile and looks from across the room.
      <p
        role="status"
        aria-label="Not safe yet"
        className={`mb-3 rounded-lg border-2 bg-panel px-4 py-2 ${slipped ? "border-above text-above" : "border-action text-action"}`}
      >
        <b className="block font-narrow text-[72px] leading-none">{size ? Math.floor((100 * received) / size) : 0} %</b>
        <span className="text-[21px]">
          {slipped ? `${tokens}: it slipped. Hold it again, it goes on where it was.` : `${tokens}: hold it still.`}
        </span>
      </p>
    );
  return (
    <p
      role="status"
      aria-label="Not safe yet"
      className="mb-3 rounded-lg border-2 border-above bg-panel px-4 py-2 font-semibold text-[19px] text-above leading-snug"
    >
      ■ {tokens}: not taken in yet.{" "}
      <span className="font-normal text-[14px] text-ink">
        {unsafe.length === 1 ? "It keeps" : "They keep"} one recording, and the next start overwrites it. Do not switch{" "}
        {unsafe.length === 1 ? "it" : "them"} on, hand {unsafe.length === 1 ? "it" : "them"} out or put{" "}
        {unsafe.length === 1 ? "it" : "them"} back into service before it says “stored”.
      </span>
    </p>
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
