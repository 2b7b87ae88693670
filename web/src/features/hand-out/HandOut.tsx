import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { api, ask, Problem } from "@/api/client";
import { About } from "@/features/people/About";
import { Empty, Loading, Trouble } from "@/ui/basics";
import { OutNow } from "./OutNow";
import { PeopleColumn } from "./PeopleColumn";
import { Ready } from "./Ready";
import { Slip } from "./Slip";

const HERE = "/hand-out";

function useNumber(name: string): [number | null, (value: number | null) => void] {
  const [params, setParams] = useSearchParams();
  const value = params.get(name);
  const set = (now: number | null) => {
    // What ends after one has gone elsewhere (a slip that was written) brings nobody back here.
    if (window.location.pathname !== HERE) return;
    setParams(
      (old) => {
        if (now === null) old.delete(name);
        else old.set(name, String(now));
        return old;
      },
      // At once: whoever reads that it is done works on from there, not from a slip that still goes away.
      { replace: true, flushSync: true },
    );
  };
  return [value ? Number(value) : null, set];
}

/** Who gets which recorder, with which settings. */
export default function HandOut() {
  const [personId, setPerson] = useNumber("person");
  const [recorderId, setRecorder] = useNumber("recorder");
  const person = useQuery({
    queryKey: ["people", "one", personId],
    queryFn: () => ask(api.GET("/api/people/{person_id}", { params: { path: { person_id: personId ?? 0 } } })),
    enabled: personId !== null,
  });
  const recorders = useQuery({ queryKey: ["recorders"], queryFn: () => ask(api.GET("/api/recorders")) });
  const recorder = recorders.data?.find((r) => r.id === recorderId);
  return (
    <main className="grid h-full grid-cols-[190px_minmax(0,1fr)_170px] min-[1020px]:grid-cols-[280px_minmax(420px,1fr)_300px] min-[1240px]:grid-cols-[300px_590px_1fr]">
      <PeopleColumn chosen={personId} onChoose={setPerson} />
      <section aria-label="Slip" className="overflow-auto border-line border-x bg-panel px-5 py-[18px]">
        {personId === null && (
          <Empty title="Who gets a recorder?">
            Choose the person on the left, then a recorder on the right. The slip is written here.
          </Empty>
        )}
        {personId !== null && person.isPending && <Loading what="the person" />}
        {person.isError && !(person.error instanceof Problem && person.error.status === 404) && (
          <Trouble error={person.error} again={() => person.refetch()} />
        )}
        {person.data && (
          <>
            <div className="flex items-baseline gap-2.5">
              <h1 className="truncate">{person.data.name}</h1>
              <span className="whitespace-nowrap text-soft">
                {[person.data.number, person.data.born ? `born ${person.data.born.slice(0, 4)}` : "", person.data.team]
                  .filter(Boolean)
                  .join(", ")}
              </span>
            </div>
            <About key={person.data.id} person={person.data} />
            {recorder ? (
              <Slip
                key={`${person.data.id} ${recorder.id}`}
                person={person.data}
                recorder={recorder}
                onDone={() => {
                  setRecorder(null);
                }}
              />
            ) : (
              <Empty title="Which recorder?">
                Choose a token on the right. Those in reach and not with anybody can go out.
              </Empty>
            )}
          </>
        )}
      </section>
      <aside className="overflow-auto px-5 py-[18px]">
        <Ready chosen={recorderId} person={personId} onChoose={setRecorder} />
        <OutNow />
      </aside>
    </main>
  );
}
