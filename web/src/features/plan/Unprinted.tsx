import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ask, type Schemas } from "@/api/client";

/** What is signed under a rule and stands on no report yet: all of it at once, one press away. */
export function Unprinted({ rule }: { rule: Schemas["PlanRule"] }) {
  const found = useQuery({
    queryKey: ["plan", "unprinted", rule.id],
    queryFn: () => ask(api.GET("/api/plan/rules/{rule_id}/unprinted", { params: { path: { rule_id: rule.id } } })),
  });
  if (!found.data) return null;
  const { sessions } = found.data;
  if (sessions.length === 0)
    return <p className="px-4 pb-1 text-[12.5px] text-soft">Nothing signed waits for a report.</p>;
  return (
    <Link
      className="mx-4 mb-1 block min-h-6 text-[13px] text-act hover:underline"
      to={`/report/many?name=${encodeURIComponent(rule.who)}&sessions=${sessions.join(",")}`}
    >
      reports of {sessions.length} that {sessions.length === 1 ? "is" : "are"} signed and not printed
    </Link>
  );
}
