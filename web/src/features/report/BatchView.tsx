import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { Button, Loading, Progress, Trouble } from "@/ui/basics";
import { moment } from "@/ui/format";
import { useNotices } from "@/ui/notices";

type Batch = Schemas["Batch"];

const howFar = (batch: Batch) =>
  `${batch.issued} of ${batch.total} issued${batch.failed ? `, ${batch.failed} failed` : ""}${batch.state === "stopped" ? ", stopped" : ""}`;

/** Those that were begun lately, each with how far it is. */
export function Batches() {
  const found = useQuery({ queryKey: ["batches"], queryFn: () => ask(api.GET("/api/report-batches")) });
  if (!found.data?.length) return null;
  return (
    <section aria-label="Issued in one go" className="mt-4 px-4">
      <h2 className="mb-1">Issued in one go</h2>
      <ul className="text-[13px]">
        {found.data.map((batch) => (
          <li key={batch.id}>
            <Link to={`/report/many/${batch.id}`} className="block border-hair border-t py-1 hover:bg-hair">
              <span className="block truncate font-medium">{batch.name}</span>
              <span className="block text-soft">
                {moment(batch.made_at)}, {howFar(batch)}
              </span>
            </Link>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** One that was begun: how far it is, each report with its number or why it failed, stopped and gone on with, fetched. */
export function BatchView({ id }: { id: number }) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const path = { params: { path: { batch_id: id } } };
  const found = useQuery({
    queryKey: ["batches", "one", id],
    queryFn: () => ask(api.GET("/api/report-batches/{batch_id}", path)),
    // The note of the last one may be lost; a look a while later finds it.
    refetchInterval: (query) => (query.state.data?.state === "going" ? 3_000 : false),
  });
  const anew = () => queries.invalidateQueries({ queryKey: ["batches"] });
  const stop = useMutation({
    mutationFn: () => ask(api.POST("/api/report-batches/{batch_id}/stop", path)),
    onSuccess: anew,
    onError: fail,
  });
  const goOn = useMutation({
    mutationFn: () => ask(api.POST("/api/report-batches/{batch_id}/go-on", path)),
    onSuccess: anew,
    onError: fail,
  });
  if (found.isError && !found.data)
    return <Trouble heading="Reports" error={found.error} again={() => found.refetch()} />;
  if (!found.data) return <Loading heading="Reports" what="these reports" />;
  const batch = found.data;
  const file = `/api/report-batches/${id}`;
  const troubled = batch.items.some((item) => item.problem);
  return (
    <section aria-label="Reports in one go" className="max-w-[860px] px-5 py-4">
      <div className="flex flex-wrap items-center gap-3">
        <h1 className="min-w-0 truncate">{batch.name}</h1>
        <span className="text-soft" role="status">
          {howFar(batch)}
        </span>
        <span className="ml-auto flex gap-2">
          {batch.state === "going" && (
            <Button disabled={stop.isPending} onClick={() => stop.mutate()}>
              Stop after this one
            </Button>
          )}
          {(batch.state === "stopped" || (batch.state === "done" && troubled)) && (
            <Button look="primary" disabled={goOn.isPending} onClick={() => goOn.mutate()}>
              {batch.state === "stopped" ? "Go on" : "Try again what failed"}
            </Button>
          )}
        </span>
      </div>
      {batch.state === "going" && <Progress share={batch.issued / Math.max(batch.total, 1)} label={howFar(batch)} />}
      {batch.issued > 0 && (
        <p className="mt-3 flex flex-wrap gap-x-4 gap-y-1">
          <a className="text-act hover:underline" href={`${file}/file`} download>
            One PDF to print
          </a>
          <a className="text-act hover:underline" href={`${file}/file?two_sided=true`} download>
            two-sided, each on a front page
          </a>
          <a className="text-act hover:underline" href={`${file}/pack`} download>
            one PDF each
          </a>
          <a className="text-act hover:underline" href={`${file}/pack?form=docx`} download>
            one Word file each
          </a>
        </p>
      )}
      <table className="mt-3 w-full">
        <thead>
          <tr className="text-left text-[12.5px] text-soft">
            <th className="font-medium">Who</th>
            <th className="font-medium">Report</th>
            <th className="font-medium">Sent to</th>
          </tr>
        </thead>
        <tbody>
          {batch.items.map((item) => (
            <tr key={item.id} className="border-line border-t align-top">
              <td className="py-1.5 pr-3">
                <span className="font-medium">{item.who}</span>
                {item.is_group && <span className="ml-2 text-soft">group page</span>}
                {item.sessions.length > 1 && <span className="ml-2 text-soft">{item.sessions.length} sessions</span>}
              </td>
              <td className="py-1.5 pr-3">
                {item.report_id ? (
                  <a className="text-act hover:underline" href={`/api/reports/${item.report_id}/pdf`} download>
                    {item.number}
                  </a>
                ) : (
                  <span className={item.state === "failed" ? "text-above" : "text-soft"}>
                    {item.state === "failed" ? "not issued" : "waits"}
                  </span>
                )}
                {item.problem && (
                  <span className="block text-[13px] text-above">
                    {item.problem}{" "}
                    {item.state === "failed" && item.sessions[0] && (
                      <Link className="text-act hover:underline" to={`/review/${item.sessions[0]}`}>
                        to the review
                      </Link>
                    )}
                  </span>
                )}
              </td>
              <td className="py-1.5 text-soft">{item.recipient}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
