import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "@/api/client";
import { Button, Token } from "@/ui/basics";
import { moment } from "@/ui/format";
import { ReasonDialog } from "@/ui/reason";
import { useDoubts } from "./useBench";

export type Ask = Schemas["BenchAsk"];
const MOST_SAID = 8;

function standing(ask: Ask): string {
  if (ask.follows === "accepted") return `Accepted: ${ask.why}.`;
  if (ask.holds) return "Their figures are held until somebody accepts them.";
  return "Their figures stand; it is said beside them and on paper.";
}

/** Checks that were not passed, with the sessions since they were passed last: nobody knows since when it has not measured right. */
export function AskCard({ ask, named }: { ask: Ask; named?: boolean }) {
  const decide = useDoubts();
  const [accepting, setAccepting] = useState(false);
  const signed = ask.sessions.filter((each) => each.signed).length;
  const count = `${ask.sessions.length} ${ask.sessions.length === 1 ? "session" : "sessions"} since it was passed last`;
  return (
    <div className="grid gap-1 text-[13px]">
      <p className="flex items-start gap-2">
        {named && <Token name={ask.token} size="small" />}
        <span>{ask.words.join("; ")}</span>
      </p>
      <p className="flex flex-wrap gap-x-3">
        <b className="font-semibold">
          {count}
          {signed > 0 && `, ${signed === ask.sessions.length ? "all" : signed} signed`}:
        </b>
        {ask.sessions.slice(0, MOST_SAID).map((each) => (
          <Link key={each.id} to={`/review/${each.id}`} className="text-act hover:underline">
            {each.person || "unclaimed"}, {moment(each.started_at, each.utc_offset_min)}
            {each.signed ? ", signed" : ""}
          </Link>
        ))}
        {ask.sessions.length > MOST_SAID && (
          <span className="text-soft">and {ask.sessions.length - MOST_SAID} more</span>
        )}
      </p>
      <p className="text-soft">
        {standing(ask)}
        {signed > 0 && " What is signed stays as it was signed, and says so."}
      </p>
      <p className="flex flex-wrap gap-2">
        {ask.follows !== "held" && (
          <Button
            size="small"
            disabled={decide.isPending}
            title="Their verdicts become “not assessable” until somebody accepts them with a reason."
            onClick={() => decide.mutate({ checks: ask.checks, follows: "held", why: "" })}
          >
            {ask.holds ? "Keep them held" : "Hold their figures"}
          </Button>
        )}
        {ask.follows !== "accepted" && (
          <Button size="small" disabled={decide.isPending} onClick={() => setAccepting(true)}>
            Accept with a reason…
          </Button>
        )}
        {ask.follows !== "" && (
          <Button
            size="small"
            look="quiet"
            disabled={decide.isPending}
            onClick={() => decide.mutate({ checks: ask.checks, follows: "", why: "" })}
          >
            Take that back
          </Button>
        )}
      </p>
      {accepting && (
        <ReasonDialog
          title={`Accept the sessions of ${ask.token}`}
          text="Their figures stand, with this reason beside them and on paper; sessions that come in later, too."
          hint="such as the cap was not tight"
          action="Accept them"
          reasons={["the cap was not tight", "compared with a second recorder", "wrong bottle"]}
          onClose={() => setAccepting(false)}
          onReason={(why) => {
            decide.mutate({ checks: ask.checks, follows: "accepted", why: why.slice(0, 200) });
            setAccepting(false);
          }}
        />
      )}
    </div>
  );
}

/** What asks for a decision, of whatever recorder. */
export function Asks({ asks }: { asks: Ask[] }) {
  const open = asks.filter((each) => each.follows === "");
  if (open.length === 0) return null;
  return (
    <section aria-label="To be decided" className="grid gap-2 pb-3">
      <h2>To be decided</h2>
      {open.map((ask) => (
        <div key={`${ask.recorder_id} ${ask.what}`} className="border-hair border-t pt-1.5">
          <AskCard ask={ask} named />
        </div>
      ))}
    </section>
  );
}
