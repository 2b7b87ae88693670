import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, ask } from "@/api/client";
import { useNumbers } from "@/features/settings/useSettings";
import { useKindWords } from "@/kinds/kinds";
import { Button, Empty, inputLook, Loading, Trouble } from "@/ui/basics";
import { clockError } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { usePasscoded } from "@/ui/passcode";
import { More } from "@/ui/people";
import { RegisterTable } from "@/ui/register";
import { columnsOf, type Recorder } from "./columns";
import { LookedIn } from "./LookedIn";
import { useRecorderList, WHERE, type Where } from "./useRecorderList";

const select = "min-h-[34px] rounded-md border border-line bg-panel px-2";

/** What can be done in the register. */
function useRecorderDeeds() {
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const anew = () => queries.invalidateQueries({ queryKey: ["recorders"] });
  const again = useMutation({
    mutationFn: (id: number) =>
      ask(api.POST("/api/recorders/{recorder_id}/look-again", { params: { path: { recorder_id: id } } })),
    onSettled: anew,
    onError: fail,
  });
  const clock = usePasscoded({
    work: (of: Recorder, passcode) =>
      ask(
        api.POST("/api/recorders/{recorder_id}/clock", {
          params: { path: { recorder_id: of.id } },
          body: { passcode },
        }),
      ),
    token: (of) => of.token,
    onDone: (_, of) => {
      anew();
      say(`The clock of ${of.token} is set; it was ${clockError(of.clock_error_s)}.`);
    },
  });
  return { again, clock };
}

/** Every recorder that was ever seen: where it is, who has it, its battery and clock. */
export function RegisterList({ head }: { head: React.ReactNode }) {
  const list = useRecorderList();
  const kinds = useKindWords().data ?? [];
  const wrongFrom = useNumbers("link.clock_s");
  const lowBelow = useNumbers("link.battery");
  const { again, clock } = useRecorderDeeds();
  const { run: setClock, isPending: isSetting } = clock;
  const { mutate: lookAgain, isPending: isLooking } = again;
  const columns = useMemo(
    () => columnsOf({ wrongFrom, lowBelow, setClock, isSetting, lookAgain, isLooking }),
    [wrongFrom, lowBelow, setClock, isSetting, lookAgain, isLooking],
  );
  const { found, rows, total } = list;
  if (found.isError && !found.data)
    return <Trouble view="Recorders" error={found.error} again={() => found.refetch()} />;
  if (!found.data) return <Loading view="Recorders" what="the recorders" />;
  return (
    <main className="h-full overflow-auto px-5 pb-[18px]">
      <div className="flex flex-wrap items-center gap-2 pt-[18px] pb-1.5">
        <h1>Recorders</h1>
        <span className="mr-2 text-soft" role="status">
          {total?.toLocaleString()}
        </span>
        <input
          className={`${inputLook} max-w-64`}
          placeholder="token, name, serial number, who has it"
          aria-label="Find recorders"
          value={list.words}
          onChange={(e) => list.setWords(e.target.value)}
        />
        <select
          aria-label="Where they are"
          className={select}
          value={list.where}
          onChange={(e) => list.setWhere(e.target.value as Where)}
        >
          {WHERE.map(([key, name]) => (
            <option key={key} value={key}>
              {name}
            </option>
          ))}
        </select>
        {kinds.length > 1 && (
          <select aria-label="Kind" className={select} value={list.kind} onChange={(e) => list.setKind(e.target.value)}>
            <option value="">every kind</option>
            {kinds.map((k) => (
              <option key={k.key} value={k.key}>
                {k.name}
              </option>
            ))}
          </select>
        )}
        {head}
      </div>
      <LookedIn />
      {rows.length > 0 && <RegisterTable rows={rows} columns={columns} sort={list.sort} onSort={list.setSort} />}
      {rows.length === 0 && list.isNarrowed && (
        <Empty title="No recorder matches" action={<Button onClick={list.all}>Show all recorders</Button>}>
          Something above narrows the list.
        </Empty>
      )}
      {rows.length === 0 && !list.isNarrowed && (
        <Empty title="No recorder was seen yet">
          Put one in the dock or plug it in. It shows here by itself within a few seconds.
        </Empty>
      )}
      <More list={found} what="recorders" />
      {clock.dialog}
    </main>
  );
}
