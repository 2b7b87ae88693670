import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ask, type Schemas } from "@/api/client";

const MOST = 12;
const LONGEST_S = 2 * 86_400;

/** Others of the kind who were out while this was recorded: all of them on one clock, one press away. */
export function OnOneClock({ session }: { session: Schemas["Session"] }) {
  const begins = new Date(session.started_at).getTime();
  const ends = begins + 1000 * session.length_s;
  const around = useQuery({
    queryKey: ["sessions", "around", session.id, session.started_at],
    queryFn: () =>
      ask(
        api.GET("/api/sessions", {
          params: {
            query: {
              kind: session.kind,
              since: new Date(begins - 86_400_000).toISOString(),
              until: new Date(ends).toISOString(),
              limit: 100,
            },
          },
        }),
      ),
    enabled: session.length_s < LONGEST_S,
  });
  const others = (around.data?.sessions ?? []).filter(
    (s) =>
      s.id !== session.id &&
      s.person_id !== session.person_id &&
      new Date(s.started_at).getTime() + 1000 * s.length_s > begins + 1000 * (session.length_s / 2),
  );
  if (others.length === 0) return null;
  const ids = [session.id, ...others.slice(0, MOST - 1).map((s) => s.id)];
  return (
    <Link to={`/compare?sessions=${ids.join(",")}`} className="min-h-6 text-act hover:underline">
      with {others.length === 1 ? "another" : `${ids.length - 1} others`} on one clock
    </Link>
  );
}
