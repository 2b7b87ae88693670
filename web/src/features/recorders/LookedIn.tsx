import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, ask } from "@/api/client";
import { Button, Field, inputLook } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";

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
export function LookedIn() {
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
      <Link to="/radio" className="text-act underline">
        networks of recorders
      </Link>
    </section>
  );
}
