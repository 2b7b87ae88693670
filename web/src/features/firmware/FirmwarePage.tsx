import { useRef, useState } from "react";
import { Link } from "react-router";
import { Button, Loading, Trouble } from "@/ui/basics";
import { PasscodeDialog } from "@/ui/passcode";
import { useTitle } from "@/ui/title";
import { Catalogue } from "./Catalogue";
import { FitRow } from "./FitRow";
import {
  canGo,
  type Fit,
  hasEnded,
  isHeldUp,
  isMoving,
  isOpen,
  type Update,
  useFirmware,
  useFirmwareDeeds,
} from "./useFirmware";

/** What is at work first, then what came of the others of today, what can go, what something stands against; those with nothing newer last. */
const ranked = (fits: Fit[]) => {
  const rank = (fit: Fit) => (isOpen(fit) ? 0 : hasEnded(fit) ? 1 : canGo(fit) ? 2 : isHeldUp(fit) ? 3 : 4);
  return [...fits].sort((a, b) => rank(a) - rank(b));
};

/** Programs of recorders: what runs where, what is newer, bringing it on. */
export default function FirmwarePage() {
  const firmware = useFirmware();
  const { begin, stop, unlock, add } = useFirmwareDeeds();
  /** Chosen otherwise than it would be by itself: all that can go and lose nothing. */
  const [turned, setTurned] = useState<ReadonlyMap<number, boolean>>(new Map());
  const [all, setAll] = useState(false);
  const [asked, setAsked] = useState<{ fit: Fit; update: Update } | null>(null);
  const chooser = useRef<HTMLInputElement>(null);
  useTitle("Firmware");
  if (firmware.isError && !firmware.data)
    return <Trouble view="Firmware" error={firmware.error} again={() => firmware.refetch()} />;
  if (!firmware.data) return <Loading view="Firmware" what="the firmware" />;
  const { recorders, images, keys } = firmware.data;
  const rows = ranked(recorders);
  const quiet = rows.filter((fit) => fit.image_id === null && !fit.update);
  const shown = all ? rows : rows.filter((fit) => !quiet.includes(fit));
  const isTicked = (fit: Fit) => canGo(fit) && (turned.get(fit.recorder_id) ?? fit.asks === "");
  const ticked = rows.filter(isTicked);
  const moving = recorders.filter((fit) => isMoving(fit.update)).length;
  const newer = recorders.filter((fit) => fit.image_id !== null).length;
  return (
    <main className="grid h-full grid-cols-[minmax(0,1fr)_316px] max-[1023px]:grid-cols-1 max-[1023px]:overflow-auto">
      <div className="grid grid-cols-[minmax(0,1fr)] content-start gap-3 overflow-auto px-5 py-[18px]">
        <header className="flex flex-wrap items-center gap-x-3 gap-y-1.5">
          <h1>Firmware</h1>
          <span className="text-soft">
            {moving
              ? `${moving} at work: do not unplug ${moving === 1 ? "it" : "them"}`
              : newer
                ? `${newer} of ${recorders.length} are behind`
                : "nothing newer"}
          </span>
          <Link to="/recorders" className="text-act hover:underline">
            Recorders
          </Link>
          <span className="ml-auto flex gap-2">
            <input
              ref={chooser}
              type="file"
              accept=".kfw"
              className="hidden"
              aria-label="Firmware file"
              onChange={(e) => {
                const [file] = e.target.files ?? [];
                if (file) add.mutate(file);
                e.target.value = "";
              }}
            />
            <Button disabled={add.isPending} onClick={() => chooser.current?.click()}>
              {add.isPending ? "Adding…" : "Add a file"}
            </Button>
            {ticked.length > 0 && (
              <Button
                look="primary"
                disabled={begin.isPending}
                onClick={() =>
                  begin.mutate(
                    {
                      recorders: ticked.map((fit) => fit.recorder_id),
                      unstored_too: ticked.some((fit) => fit.asks !== ""),
                    },
                    { onSuccess: () => setTurned(new Map()) },
                  )
                }
              >
                Update {ticked.length === 1 ? ticked[0]?.token : `these ${ticked.length}`}
              </Button>
            )}
          </span>
        </header>
        {recorders.length === 0 && <p className="py-6">No recorder that takes programs over its link was seen yet.</p>}
        {shown.length > 0 && (
          <table className="w-full table-fixed border-collapse text-left">
            <thead className="text-[13px] text-soft">
              <tr className="[&>th]:px-2 [&>th]:py-1 [&>th]:font-normal">
                <th className="w-10">
                  <span className="sr-only">chosen</span>
                </th>
                <th className="w-[76px]">Recorder</th>
                <th className="w-44 max-[1179px]:w-36">Kind, model</th>
                <th className="w-[76px]">Runs</th>
                <th className="w-[76px]">Newest</th>
                <th>How it stands</th>
              </tr>
            </thead>
            <tbody>
              {shown.map((fit) => (
                <FitRow
                  key={fit.recorder_id}
                  fit={fit}
                  image={images.find((image) => image.id === fit.image_id)}
                  ticked={isTicked(fit)}
                  onTick={(on) => setTurned(new Map(turned).set(fit.recorder_id, on))}
                  onStop={(update) => stop.mutate(update.id)}
                  onPasscode={(update) => setAsked({ fit, update })}
                />
              ))}
            </tbody>
          </table>
        )}
        {quiet.length > 0 && (
          <p className="text-soft">
            {quiet.length === 1 ? "One recorder has" : `${quiet.length} recorders have`} nothing newer.{" "}
            <button type="button" className="min-h-6 text-act hover:underline" onClick={() => setAll(!all)}>
              {all ? "Hide them" : "Show them"}
            </button>
          </p>
        )}
      </div>
      <Catalogue images={images} keys={keys} />
      {asked && (
        <PasscodeDialog
          token={asked.fit.token}
          onClose={() => setAsked(null)}
          onGiven={(passcode) => {
            unlock.mutate({ update: asked.update.id, passcode });
            setAsked(null);
          }}
        />
      )}
    </main>
  );
}
