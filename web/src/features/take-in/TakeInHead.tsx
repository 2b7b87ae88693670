import { useRef } from "react";
import { useNavigate } from "react-router";
import { Button, Progress } from "@/ui/basics";
import { type Sight, stepWords } from "./sight";

/** The head of the screen: how many there are, how far it is, and the main step. */
export function TakeInHead({
  sight,
  recorders,
  busy,
  clearAfter,
  onClearAfter,
  onGo,
  onHalt,
  onFile,
}: {
  sight: Sight;
  recorders: number;
  busy: { go: boolean; halt: boolean };
  clearAfter: boolean;
  onClearAfter: (on: boolean) => void;
  onGo: () => void;
  onHalt: () => void;
  onFile: (file: File | null) => void;
}) {
  const navigate = useNavigate();
  const chooser = useRef<HTMLInputElement>(null);
  const { fresh, atWork, done, wanted } = sight;
  const share = done.length / Math.max(done.length + atWork.length, 1);
  return (
    <div className="mb-3 flex flex-wrap items-center gap-x-3 gap-y-2">
      <h1>Take in</h1>
      <span className="text-[13px] text-soft">
        {recorders} recorder{recorders === 1 ? "" : "s"} in reach, {fresh.length} new session
        {fresh.length === 1 ? "" : "s"}
      </span>
      <span className="ml-auto" />
      {atWork.length > 0 ? (
        <>
          <span className="grid justify-items-end text-[13px]">
            <b className="font-semibold">
              {done.length} in, {atWork.length} at work or next
            </b>
            <Progress share={share} label="taken in" />
          </span>
          <Button onClick={onHalt} disabled={busy.halt}>
            Stop after these
          </Button>
        </>
      ) : (
        <>
          <Button onClick={() => chooser.current?.click()}>Take in a file</Button>
          {wanted.length > 0 && (
            <label className="flex items-center gap-1.5 text-[13px] text-soft">
              <input
                type="checkbox"
                className="accent-(--act)"
                checked={clearAfter}
                onChange={(e) => onClearAfter(e.target.checked)}
              />
              clear them on the recorder after
            </label>
          )}
        </>
      )}
      <input
        ref={chooser}
        type="file"
        aria-label="File to take in"
        className="hidden"
        accept=".krec,.csv,.txt,.edf,.gpx,.parquet"
        onChange={(e) => {
          onFile(e.target.files?.[0] ?? null);
          e.target.value = "";
        }}
      />
      {atWork.length > 0 && wanted.length === 0 ? (
        <Button main look="primary" disabled={done.length === 0} onClick={() => navigate("/review")}>
          Review the {done.length}
        </Button>
      ) : (
        <Button main look="primary" disabled={wanted.length === 0 || busy.go} onClick={onGo}>
          {stepWords(sight)}
        </Button>
      )}
    </div>
  );
}
