import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ask } from "@/api/client";
import { Verdict } from "@/ui/basics";
import { dayMonth, number } from "@/ui/format";

const MOST = 12;

/** The months of a vehicle: hours, limits reached, the best lap on each course; what is due on its logger. */
export function Months({ vehicle }: { vehicle: number }) {
  const found = useQuery({
    queryKey: ["vehicles", "months", vehicle],
    queryFn: () => ask(api.GET("/api/vehicles/{vehicle_id}/months", { params: { path: { vehicle_id: vehicle } } })),
  });
  const data = found.data;
  if (!data) return null;
  return (
    <div className="pb-2 text-[13px]">
      {data.wrong.map((words) => (
        <p key={words}>
          <Verdict verdict="action level reached" words={words} />
        </p>
      ))}
      {data.next_check && <p className="text-soft">Next check of its logger: {dayMonth(data.next_check)}</p>}
      {data.months.length === 0 ? (
        <p className="text-soft">Nothing was driven in it yet.</p>
      ) : (
        <table className="w-full">
          <thead>
            <tr className="text-right text-soft">
              <th className="text-left font-normal">Month</th>
              <th className="font-normal">Sessions</th>
              <th className="font-normal">Hours</th>
              <th className="font-normal">Limits reached</th>
              <th className="pl-3 text-left font-normal">Best laps</th>
            </tr>
          </thead>
          <tbody>
            {data.months.slice(0, MOST).map((month) => (
              <tr key={month.first} className="border-hair border-t text-right align-baseline">
                <td className="py-1 text-left">
                  {new Date(month.first).toLocaleDateString("en-GB", { month: "short", year: "numeric" })}
                </td>
                <td>{month.sessions}</td>
                <td>{number(month.hours, 1)}</td>
                <td>
                  {month.reached ? <Verdict verdict="above limit" words={String(month.reached)} /> : ""}{" "}
                  {month.actions ? <Verdict verdict="action level reached" words={String(month.actions)} /> : ""}
                  {month.reached + month.actions === 0 ? "none" : ""}
                </td>
                <td className="pl-3 text-left">
                  {month.best.map((lap) => (
                    <Link key={lap.course} to={`/review/${lap.session_id}`} className="mr-3 hover:underline">
                      {lap.seconds.toFixed(2)} s <span className="text-soft">{lap.course}</span>
                    </Link>
                  ))}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
