import { Link } from "react-router";
import { kindName } from "@/kinds/kinds";
import { Button, Progress, Token, Verdict } from "@/ui/basics";
import { canGo, type Fit, type Image, isMoving, isOpen, type Update } from "./useFirmware";

function AtWork({ update, onStop, onPasscode }: { update: Update; onStop: () => void; onPasscode: () => void }) {
  const share = update.size ? update.sent / update.size : 0;
  if (update.state === "starts")
    return (
      <p>
        It starts with {update.version}: <b className="font-semibold">do not unplug it</b>.{" "}
        {update.trouble && <span className="text-soft">{update.trouble}</span>}
      </p>
    );
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
      {isMoving(update) ? (
        <>
          <span className="w-28">
            <Progress share={share} label={`${update.version} sent`} />
          </span>
          <span className="tabular-nums">{Math.round(100 * share)} %</span>
          <span className="text-soft">
            {update.state === "waits" ? "waits for its turn" : "a cut cable costs nothing: it goes on there"}
          </span>
        </>
      ) : (
        <span className="min-w-0 flex-1">
          {update.sent > 0 && `${Math.round(100 * share)} % is on it. `}
          {update.trouble}
          {!update.trouble.endsWith(".") && "."} <span className="text-soft">It goes on by itself then.</span>
        </span>
      )}
      {update.locked && (
        <Button size="small" onClick={onPasscode}>
          Give its passcode
        </Button>
      )}
      <Button look="quiet" size="small" onClick={onStop}>
        Stop
      </Button>
    </div>
  );
}

function Came({ update }: { update: Update }) {
  if (update.state === "done")
    return (
      <span className="flex flex-wrap items-center gap-x-2">
        <Verdict verdict="within" words={`runs ${update.version}`} />
        {update.shows && <span>its display says: {update.shows}</span>}
      </span>
    );
  return (
    <span className="flex flex-wrap items-center gap-x-2">
      {update.state === "failed" && <Verdict verdict="above limit" words="not updated" />}
      <span>{update.trouble}.</span>
    </span>
  );
}

/** A recorder: what runs, what is newest for it, what is asked or stands in the way, how far it is. */
export function FitRow({
  fit,
  image,
  ticked,
  onTick,
  onStop,
  onPasscode,
}: {
  fit: Fit;
  image: Image | undefined;
  ticked: boolean;
  onTick: (on: boolean) => void;
  onStop: (update: Update) => void;
  onPasscode: (update: Update) => void;
}) {
  const { update } = fit;
  return (
    <tr className="border-hair border-t align-top [&>td]:px-2 [&>td]:py-2">
      <td>
        {canGo(fit) && (
          <input
            type="checkbox"
            className="m-1 size-4 accent-(--act)"
            aria-label={`Update ${fit.token}`}
            checked={ticked}
            onChange={(e) => onTick(e.target.checked)}
          />
        )}
      </td>
      <td>
        <Token name={fit.token} size="small" away={!fit.in_reach} />
      </td>
      <td>
        <span className="block truncate">{kindName(fit.kind)}</span>
        <span className="block truncate text-[13px] text-soft">
          {[fit.model, fit.place].filter(Boolean).join(", ")}
        </span>
      </td>
      <td className="truncate tabular-nums">{fit.firmware || "not told"}</td>
      <td className="truncate tabular-nums">
        {image || update?.ended_at === null ? (
          <b className="font-semibold">{image?.version ?? update?.version}</b>
        ) : (
          <span className="text-soft">runs</span>
        )}
      </td>
      <td>
        {update && isOpen(fit) ? (
          <AtWork update={update} onStop={() => onStop(update)} onPasscode={() => onPasscode(update)} />
        ) : (
          <>
            {update && <Came update={update} />}
            {fit.against && <span className="block text-soft first-letter:uppercase">{fit.against}</span>}
            {image && !fit.against && fit.asks && (
              <span className="block first-letter:uppercase">
                {fit.asks}:{" "}
                <Link to="/take-in" className="text-act hover:underline">
                  take in first
                </Link>
                , or tick it to go on anyway
              </span>
            )}
            {!image && !fit.comparable && (
              <span className="block text-soft">its version is of another form: compare by hand</span>
            )}
            {image && !fit.against && !fit.asks && !update && (
              <span className="block text-soft">{image.notes || "ready"}</span>
            )}
          </>
        )}
      </td>
    </tr>
  );
}
