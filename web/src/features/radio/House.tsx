import { useState } from "react";
import type { Schemas } from "@/api/client";
import { Button, Field, inputLook, Token } from "@/ui/basics";
import { useRadioDeeds } from "./useRadio";

type Given = Schemas["NetworkGiven"];

const cameOf = (given: Given) => given.why || (given.joined ? "has it and is in it" : "has it; not in it yet");

/** The house's network onto recorders: typed once for as many as are ticked, and kept nowhere but on them. */
export function House({ recorders, here }: { recorders: Schemas["RadioRecorder"][]; here: string }) {
  const { give } = useRadioDeeds();
  const [name, setName] = useState<string | null>(null);
  const [key, setKey] = useState("");
  const [passcode, setPasscode] = useState("");
  const [ticked, setTicked] = useState<ReadonlySet<number>>(new Set());
  const [isOpen, setIsOpen] = useState(false);
  const [given, setGiven] = useState<Given[]>([]);
  const typed = name ?? here;
  const chosen = recorders.filter((each) => ticked.has(each.id));
  const isAsked = given.some((each) => each.locked);
  const isRight = typed.trim() !== "" && (isOpen || key.length >= 8) && chosen.length > 0;
  return (
    <aside aria-label="The house's network" className="overflow-auto border-line border-l bg-panel px-4 py-3.5">
      <h2 className="text-[15px]">Give recorders this house's network</h2>
      <p className="pb-2 text-[13px] text-soft">
        Once: they are in reach here from then on, and open no network of their own. The key goes onto them and is kept
        nowhere else, not here either.
      </p>
      <form
        className="grid gap-3"
        autoComplete="off"
        onSubmit={(e) => {
          e.preventDefault();
          if (!isRight) return;
          give.mutate(
            { recorders: chosen.map((each) => each.id), name: typed, key: isOpen ? "" : key, passcode },
            {
              onSuccess: (answer) => {
                setGiven(answer.given);
                setTicked(new Set(answer.given.filter((each) => each.why).map((each) => each.recorder_id)));
                if (answer.given.every((each) => !each.locked)) {
                  setKey("");
                  setPasscode("");
                }
              },
            },
          );
        }}
      >
        <Field label="Name of the network">
          <input className={inputLook} value={typed} maxLength={32} onChange={(e) => setName(e.target.value)} />
        </Field>
        <Field label="Its key" hint="8 to 63 letters, digits and signs">
          <input
            className={inputLook}
            type="password"
            autoComplete="new-password"
            value={key}
            maxLength={63}
            disabled={isOpen}
            onChange={(e) => setKey(e.target.value)}
          />
        </Field>
        <label className="flex items-center gap-2 text-[13px]">
          <input
            type="checkbox"
            className="m-1 size-4 accent-(--act)"
            checked={isOpen}
            onChange={(e) => setIsOpen(e.target.checked)}
          />
          It is an open network, without a key
        </label>
        {isAsked && (
          <Field label="Passcode of those that ask for one">
            <input
              className={inputLook}
              type="password"
              autoComplete="new-password"
              value={passcode}
              onChange={(e) => setPasscode(e.target.value)}
            />
          </Field>
        )}
        {recorders.length > 1 && ticked.size < recorders.length && (
          <button
            type="button"
            className="min-h-6 justify-self-start text-[13px] text-act hover:underline"
            onClick={() => setTicked(new Set(recorders.map((each) => each.id)))}
          >
            Choose all {recorders.length}
          </button>
        )}
        <ul className="text-[13px]">
          {recorders.map((each) => {
            const came = given.find((one) => one.recorder_id === each.id);
            return (
              <li key={each.id} className="border-hair border-t py-1">
                <label className="flex items-center gap-2">
                  <input
                    type="checkbox"
                    className="m-1 size-4 accent-(--act)"
                    checked={ticked.has(each.id)}
                    onChange={(e) => {
                      const now = new Set(ticked);
                      if (e.target.checked) now.add(each.id);
                      else now.delete(each.id);
                      setTicked(now);
                    }}
                  />
                  <Token name={each.token} size="small" />
                  <span className="min-w-0 flex-1 truncate">{each.name}</span>
                </label>
                {came && <p className={`pl-8 ${came.why ? "text-above" : "text-soft"}`}>{cameOf(came)}</p>}
              </li>
            );
          })}
          {recorders.length === 0 && <li className="text-soft">No recorder with a radio is in reach.</li>}
        </ul>
        <div>
          <Button look="primary" type="submit" disabled={!isRight || give.isPending}>
            Give it to{" "}
            {chosen.length === 0 ? "those chosen" : chosen.length === 1 ? chosen[0]?.token : `these ${chosen.length}`}
          </Button>
        </div>
      </form>
    </aside>
  );
}
