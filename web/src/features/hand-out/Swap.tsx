import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, ask, Problem, type Schemas } from "@/api/client";
import { Button, Token } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";
import { PasscodeDialog } from "@/ui/passcode";

const REASONS = ["broken", "battery empty", "lost", "the wrong one"];

/** Another recorder for somebody in the middle: same settings, same words, same time back; the first one comes back. */
export function Swap({ slip, onClose }: { slip: Schemas["HandOver"]; onClose: () => void }) {
  const recorders = useQuery({ queryKey: ["recorders"], queryFn: () => ask(api.GET("/api/recorders")) });
  const free = (recorders.data ?? []).filter(
    (r) => r.sets_up && r.kind === slip.kind && r.in_reach && !r.trouble && !r.holder && !r.press,
  );
  // What keeps one recording would overwrite it: that is decided on its own slip, never in passing.
  const ready = free.filter((r) => !(r.keeps_one && r.new_sessions > 0));
  const full = free.filter((r) => !ready.includes(r));
  const [chosen, setChosen] = useState<number | null>(null);
  const [why, setWhy] = useState("");
  const [asking, setAsking] = useState(false);
  const passcode = useRef("");
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const second = ready.find((r) => r.id === chosen);
  const swap = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/hand-overs/{hand_over_id}/swap", {
          params: { path: { hand_over_id: slip.id } },
          body: { recorder_id: chosen ?? 0, why, passcode: passcode.current, despite: second?.new_sessions ? why : "" },
        }),
      ),
    onSuccess: (given) => {
      queries.invalidateQueries();
      say(`${given.token} is with ${given.person} instead of ${slip.token}. Settings were written and read back.`);
      onClose();
    },
    onError: (error) => {
      if (error instanceof Problem && error.status === 423) {
        if (passcode.current) fail(error);
        setAsking(true);
      } else fail(error);
    },
  });
  return (
    <Dialog title={`Another recorder for ${slip.person}`} open onClose={onClose}>
      <p className="text-soft">
        It gets the same settings as {slip.token}. {slip.token} counts as brought back; what is on it stays{" "}
        {slip.person}
        's.
      </p>
      <div className="mt-3 flex flex-wrap gap-2">
        {ready.map((r) => (
          <button
            key={r.id}
            type="button"
            aria-pressed={r.id === chosen}
            aria-label={`${r.token}, ${r.place}`}
            className={`rounded-full ${r.id === chosen ? "outline-3 outline-act" : ""}`}
            onClick={() => setChosen(r.id)}
          >
            <Token name={r.token} />
          </button>
        ))}
        {recorders.isSuccess && ready.length === 0 && (
          <p>No other recorder of this kind is in reach and free. Put one in the dock; it shows here by itself.</p>
        )}
      </div>
      {full.length > 0 && (
        <p className="mt-2 text-action">
          {full.map((r) => r.token).join(", ")}: keeps one recording and was not taken in yet. Take it in first.
        </p>
      )}
      {second && second.new_sessions > 0 && (
        <p className="mt-2 text-action">{second.token} holds sessions that were not taken in; they stay on it.</p>
      )}
      <label className="mt-3 grid gap-1 text-[13px] text-soft">
        Why
        <input
          className="min-h-[34px] rounded-md border border-line bg-panel px-2.5 text-ink"
          list="swap-reasons"
          value={why}
          maxLength={200}
          onChange={(e) => setWhy(e.target.value)}
        />
        <datalist id="swap-reasons">
          {REASONS.map((each) => (
            <option key={each} value={each} />
          ))}
        </datalist>
      </label>
      <div className="mt-4">
        <Button look="primary" disabled={!second || !why.trim() || swap.isPending} onClick={() => swap.mutate()}>
          {swap.isPending ? "Writing and reading back …" : `Write ${second?.token ?? "it"} and swap`}
        </Button>
      </div>
      {asking && second && (
        <PasscodeDialog
          token={second.token}
          onClose={() => setAsking(false)}
          onGiven={(entered) => {
            passcode.current = entered;
            setAsking(false);
            swap.mutate();
          }}
        />
      )}
    </Dialog>
  );
}
