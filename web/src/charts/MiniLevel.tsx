import { useQuery } from "@tanstack/react-query";
import { api, ask, type Schemas } from "@/api/client";

/** A small picture of the main channel, for a first look. */
export function MiniLevel({ session }: { session: Schemas["Session"] }) {
  const view = useQuery({
    queryKey: ["view", session.id, "mini"],
    queryFn: () =>
      ask(
        api.GET("/api/sessions/{session_id}/view", {
          params: { path: { session_id: session.id }, query: { channel: ["leq.1"], points: 180 } },
        }),
      ),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const found = view.data?.[0];
  if (!found) return <div className="mt-3 h-[110px]" />;
  const low = 45;
  const high = 105;
  const y = (v: number) => 110 - ((Math.min(Math.max(v, low), high) - low) / (high - low)) * 106;
  return (
    <svg
      className="mt-3 w-full"
      viewBox="0 0 358 112"
      role="img"
      aria-label="Level over the session, with the 85 dB line"
      preserveAspectRatio="none"
      height={112}
    >
      {found.mean.map((v, i) =>
        v === null ? null : (
          <rect
            // biome-ignore lint/suspicious/noArrayIndexKey: bins have no other identity
            key={i}
            x={(i / found.mean.length) * 358}
            y={y(v)}
            width={1.5}
            height={111 - y(v)}
            fill="var(--act)"
            opacity={0.75}
          />
        ),
      )}
      <line x1={0} x2={358} y1={y(85)} y2={y(85)} stroke="var(--above)" strokeDasharray="5 3" />
    </svg>
  );
}
