import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { useNumbers } from "@/features/settings/useSettings";
import { kindName } from "@/kinds/kinds";
import { Button, Empty, Field, inputLook, Loading, Token, Trouble } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { clockError, moment, percent } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { usePasscoded } from "@/ui/passcode";

/** Asks the recorder at an address; it is added when it answers. */
function AddByAddress() {
  const queries = useQueryClient();
  const { say } = useNotices();
  const [open, setOpen] = useState(false);
  const [address, setAddress] = useState("");
  const add = useMutation({
    mutationFn: () => ask(api.POST("/api/recorders", { body: { address: address.trim() } })),
    onSuccess: (recorder) => {
      setOpen(false);
      setAddress("");
      queries.invalidateQueries({ queryKey: ["recorders"] });
      queries.invalidateQueries({ queryKey: ["settings"] });
      say(`${recorder.token}, ${recorder.name}, answers. It is looked for there from now on.`);
    },
  });
  return (
    <>
      <Button look="quiet" size="small" onClick={() => setOpen(true)}>
        add by address
      </Button>
      <Dialog
        title="Add a recorder by its address"
        open={open}
        onClose={() => {
          setOpen(false);
          add.reset();
        }}
      >
        <form
          className="grid gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            add.mutate();
          }}
        >
          <Field label="Address and port">
            <input
              className={inputLook}
              value={address}
              placeholder="192.168.10.20:7400"
              maxLength={300}
              onChange={(e) => setAddress(e.target.value)}
              required
              autoFocus
            />
          </Field>
          <p className="text-[13px] text-soft">
            For a recorder that does not show by itself. It is asked now, and added when it answers.
          </p>
          {add.error && (
            <p role="alert" className="text-above">
              {add.error.message}
            </p>
          )}
          <div>
            <Button look="primary" type="submit" disabled={!address.trim() || add.isPending}>
              {add.isPending ? "Asking …" : "Ask and add"}
            </Button>
          </div>
        </form>
      </Dialog>
    </>
  );
}

/** Where recorders are looked for, and how many are in reach there. */
function LookedIn() {
  const places = useQuery({ queryKey: ["recorders", "networks"], queryFn: () => ask(api.GET("/api/networks")) });
  // Its line is there from the beginning: what comes later would push the table away under a click.
  if (!places.data) return <p className="mb-3 min-h-[26px] text-[13px] text-soft">Looked in …</p>;
  return (
    <section aria-label="Looked in" className="mb-3 flex flex-wrap items-baseline gap-x-5 gap-y-1 text-[13px]">
      <span className="text-soft">{places.data.length > 0 ? "Looked in" : "Looked in nowhere"}</span>
      {places.data.map((each) => (
        <span key={`${each.what} ${each.name}`}>
          {each.name}
          {each.missing ? (
            <span className={each.empty ? "text-soft" : "text-action"}>: {each.missing}</span>
          ) : each.what === "network" ? (
            <span className="text-soft">, {each.in_reach === 0 ? "none" : each.in_reach} in reach</span>
          ) : (
            <span className={each.in_reach > 0 ? "text-soft" : "text-action"}>
              , {each.in_reach > 0 ? "answers" : "no recorder answers"}
            </span>
          )}
        </span>
      ))}
      <Link to="/settings" className="text-act underline">
        other networks
      </Link>
      <AddByAddress />
    </section>
  );
}

/** Heads of columns that speak for themselves. */
const UNSEEN = ["Token", "What to do"];

/** Every recorder that was ever seen: where it is, who has it, its battery and clock. */
export default function Recorders() {
  const queries = useQueryClient();
  const wrongFrom = useNumbers("link.clock_s");
  const lowBelow = useNumbers("link.battery");
  const { say, fail } = useNotices();
  const recorders = useQuery({ queryKey: ["recorders"], queryFn: () => ask(api.GET("/api/recorders")) });
  const again = useMutation({
    mutationFn: (id: number) =>
      ask(api.POST("/api/recorders/{recorder_id}/look-again", { params: { path: { recorder_id: id } } })),
    onSettled: () => queries.invalidateQueries({ queryKey: ["recorders"] }),
    onError: fail,
  });
  const clock = usePasscoded({
    work: (of: Schemas["Recorder"], passcode) =>
      ask(
        api.POST("/api/recorders/{recorder_id}/clock", {
          params: { path: { recorder_id: of.id } },
          body: { passcode },
        }),
      ),
    token: (of) => of.token,
    onDone: (_, of) => {
      queries.invalidateQueries({ queryKey: ["recorders"] });
      say(`The clock of ${of.token} is set; it was ${clockError(of.clock_error_s)}.`);
    },
  });
  if (recorders.isError && !recorders.data)
    return <Trouble view="Recorders" error={recorders.error} again={() => recorders.refetch()} />;
  if (!recorders.data) return <Loading view="Recorders" what="the recorders" />;
  return (
    <main className="h-full overflow-auto px-5 py-[18px]">
      <div className="mb-1.5 flex items-baseline">
        <h1>Recorders</h1>
        <Link to="/vehicles" className="ml-auto min-h-6 text-act hover:underline">
          Vehicles and courses
        </Link>
      </div>
      <LookedIn />
      {recorders.data.length === 0 && (
        <Empty title="No recorder was seen yet">
          Put one in the dock or plug it in. It shows here by itself within a few seconds.
        </Empty>
      )}
      <table className="w-full">
        <thead className="text-left font-narrow text-[12.5px] text-soft">
          <tr>
            {[
              "Token",
              "Name",
              "Where",
              "With",
              "Battery",
              "Memory",
              "Clock",
              "Checks",
              "Serial number, firmware",
              "What to do",
            ].map((h) => (
              <th key={h} className="px-2 py-1 font-medium">
                {UNSEEN.includes(h) ? <span className="sr-only">{h}</span> : h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {recorders.data.map((r) => (
            <tr key={r.id} className="border-line border-t">
              <td className="px-2 py-1.5">
                <Token name={r.token} away={!r.in_reach} />
              </td>
              <td className="px-2">
                <b className="block font-semibold">{r.name}</b>
                <span className="text-[12.5px] text-soft">{kindName(r.kind)}</span>
              </td>
              <td className="px-2">
                {r.in_reach ? (
                  <>
                    {r.place}, {r.mode.replaceAll("-", " ")}
                    {r.quality !== null && (
                      <span className={r.quality < 0.4 ? "text-action" : "text-soft"}>, link {percent(r.quality)}</span>
                    )}
                    {r.press && <span className="block text-[12.5px] text-action">{r.press}</span>}
                    {r.trouble && <span className="block text-[12.5px] text-action">{r.trouble}</span>}
                  </>
                ) : (
                  <span className="text-soft">{r.seen_at ? `last seen ${moment(r.seen_at)}` : "not seen yet"}</span>
                )}
              </td>
              <td className="px-2">{r.holder || <span className="text-soft">nobody</span>}</td>
              <td
                className={`whitespace-nowrap px-2 ${r.in_reach && 100 * (r.battery ?? 1) < lowBelow(r.kind) ? "text-action" : ""}`}
              >
                {r.in_reach ? percent(r.battery) : ""}
              </td>
              <td className="px-2">{r.in_reach ? percent(r.memory_used) : ""}</td>
              <td className={`px-2 ${Math.abs(r.clock_error_s ?? 0) >= wrongFrom(r.kind) ? "text-action" : ""}`}>
                {r.in_reach ? clockError(r.clock_error_s) : ""}
                {r.in_reach && r.sets_up && clockError(r.clock_error_s) !== clockError(0) && (
                  <Button
                    look="quiet"
                    size="small"
                    aria-label={`set the clock of ${r.token}`}
                    disabled={clock.isPending}
                    onClick={() => clock.run(r)}
                  >
                    set
                  </Button>
                )}
              </td>
              <td className="px-2">
                {r.sets_up && (
                  <Link
                    to={`/recorders/${r.id}/sensors`}
                    title={r.overdue.join("; ")}
                    className={`inline-flex min-h-6 items-center hover:underline ${r.overdue.length > 0 ? "text-action" : "text-act"}`}
                  >
                    {r.overdue.length > 0 ? `${r.overdue.length} due` : r.calibrates ? "Sensors" : "in order"}
                  </Link>
                )}
              </td>
              <td className="px-2 text-soft">{[r.serial, r.firmware].filter(Boolean).join(", ")}</td>
              <td className="px-2 text-right">
                <Button look="quiet" disabled={again.isPending} onClick={() => again.mutate(r.id)}>
                  Look again
                </Button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {clock.dialog}
    </main>
  );
}
