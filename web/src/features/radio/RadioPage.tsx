import { useState } from "react";
import { Link } from "react-router";
import { Button, Field, inputLook, Loading, Token, Trouble } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { clock } from "@/ui/format";
import { useTitle } from "@/ui/title";
import { House } from "./House";
import { type HeardNetwork, useRadio, useRadioDeeds, type Visit } from "./useRadio";

const strength = (share: number) => (share > 0.66 ? "strong" : share > 0.33 ? "fair" : "weak");

/** What the machine leaves, who is away meanwhile, and how it comes back. */
function Leaving({ here, away }: { here: string; away: string[] }) {
  return (
    <p>
      {here ? (
        <>
          The server leaves <b className="font-semibold">{here}</b> for as long as the transfer lasts, ten minutes at
          the most, and comes back by itself, also after a power cut.{" "}
          {away.length > 0
            ? `Away meanwhile: ${away.slice(0, 8).join(", ")}${away.length > 8 ? ` and ${away.length - 8} more` : ""}, and every screen that reaches the server through ${here}.`
            : `Away meanwhile: every screen that reaches the server through ${here}.`}
        </>
      ) : (
        "The server's radio is in no network now: nothing is away meanwhile."
      )}
    </p>
  );
}

function Join({
  network,
  here,
  away,
  onClose,
}: {
  network: HeardNetwork;
  here: string;
  away: string[];
  onClose: () => void;
}) {
  const { visit } = useRadioDeeds();
  const [key, setKey] = useState("");
  const who = network.token || network.serial || network.name;
  return (
    <Dialog title={`Go to ${who}`} open onClose={onClose}>
      <form
        className="grid gap-3"
        autoComplete="off"
        onSubmit={(e) => {
          e.preventDefault();
          visit.mutate({ network: network.name, key }, { onSuccess: onClose });
        }}
      >
        <Leaving here={here} away={away} />
        {network.locked && (
          <Field label="Key of its network" hint="It stands on the recorder, and is kept nowhere here.">
            <input
              className={inputLook}
              type="password"
              autoComplete="new-password"
              value={key}
              maxLength={63}
              onChange={(e) => setKey(e.target.value)}
              autoFocus
            />
          </Field>
        )}
        <div>
          <Button look="primary" type="submit" disabled={visit.isPending || (network.locked && key.length < 8)}>
            Go there and take in what is new
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

const WORDS: Record<Visit["state"], string> = {
  joins: "is joining",
  there: "is in",
  back: "is coming back from",
  done: "was in",
  failed: "was in",
};

function UnderWay({ visit }: { visit: Visit }) {
  const { stay, end } = useRadioDeeds();
  const isOpen = visit.ended_at === null;
  const count = `${visit.sessions} ${visit.sessions === 1 ? "session" : "sessions"}`;
  return (
    <section
      aria-label="Visit"
      className={`grid gap-1.5 rounded-lg border px-4 py-3 ${isOpen ? "border-act bg-act-soft" : "border-line bg-panel"}`}
    >
      <p className="flex flex-wrap items-center gap-x-2">
        {visit.token && <Token name={visit.token} size="small" />}
        <span>
          The server {WORDS[visit.state]} <b className="font-semibold">{visit.network}</b>
          {isOpen && visit.left_network ? `; ${visit.left_network} is left meanwhile` : ""}
          {!isOpen && visit.ended_at ? ` until ${clock(visit.ended_at)}` : ""}.
        </span>
      </p>
      <p>
        {visit.state === "there" && (visit.sessions ? `${count} on the way. ` : "Nothing new is on it. ")}
        {visit.state === "there" &&
          (visit.stays
            ? `It stays until ${clock(visit.stay_until)}: set it up, hand it out, as with any recorder in reach.`
            : "It comes back when everything is here.")}
        {visit.state === "done" && (visit.sessions ? `${count} taken in there.` : "Nothing new was on it.")}
        {visit.trouble && <span className={visit.state === "failed" ? "text-above" : ""}> {visit.trouble}.</span>}
      </p>
      {visit.state === "there" && (
        <p className="flex gap-2">
          <Button size="small" onClick={() => stay.mutate(visit.id)}>
            Stay ten minutes
          </Button>
          <Button size="small" onClick={() => end.mutate(visit.id)}>
            Come back now
          </Button>
        </p>
      )}
    </section>
  );
}

/** Recorders that open a radio network of their own: going there, or giving them the house's. */
export default function RadioPage() {
  const radio = useRadio();
  const [going, setGoing] = useState<HeardNetwork | null>(null);
  useTitle("Radio");
  if (radio.isError && !radio.data) return <Trouble view="Radio" error={radio.error} again={() => radio.refetch()} />;
  if (!radio.data) return <Loading view="Radio" what="what is in the air" />;
  const { why, network, networks, away, visit, recorders } = radio.data;
  const own = networks.filter((each) => each.serial !== "");
  const isOut = visit?.ended_at === null;
  return (
    <main className="grid h-full grid-cols-[minmax(0,1fr)_316px] max-[1023px]:grid-cols-1 max-[1023px]:overflow-auto">
      <div className="grid grid-cols-[minmax(0,1fr)] content-start gap-3 overflow-auto px-5 py-[18px]">
        <header className="flex flex-wrap items-center gap-x-3 gap-y-1">
          <h1>Radio</h1>
          <span className="text-soft">
            {why ? "" : network ? `the server is in ${network}` : "the server is in no network"}
          </span>
          <Link to="/recorders" className="text-act hover:underline">
            Recorders
          </Link>
        </header>
        {visit && <UnderWay visit={visit} />}
        <h2 className="pt-1 text-[15px]">Recorders that open a network of their own</h2>
        {why && <p className="text-soft">{why}</p>}
        {!why && own.length === 0 && (
          <p className="text-soft">None is heard here now. Is its radio switched on, and is it near?</p>
        )}
        {own.length > 0 && (
          <ul>
            {own.map((each) => (
              <li key={each.name} className="flex items-center gap-3 border-hair border-t py-2">
                {each.token ? <Token name={each.token} size="small" /> : <span className="w-10 text-soft">new</span>}
                <span className="min-w-0 flex-1">
                  <span className="block truncate">{each.name}</span>
                  <span className="block text-[13px] text-soft">
                    {strength(each.signal)}, {Math.round(100 * each.signal)} %
                    {each.joined ? ", the server is in it" : ""}
                  </span>
                </span>
                <Button disabled={isOut} onClick={() => setGoing(each)}>
                  Go there
                </Button>
              </li>
            ))}
          </ul>
        )}
      </div>
      <House recorders={recorders} here={isOut ? (visit?.left_network ?? "") : network} />
      {going && <Join network={going} here={network} away={away} onClose={() => setGoing(null)} />}
    </main>
  );
}
