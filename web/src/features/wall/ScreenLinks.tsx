import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask } from "@/api/client";
import { Button, Field, inputLook } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { moment } from "@/ui/format";
import { useNotices } from "@/ui/notices";

const HOURS = [8, 12, 24, 72, 168];
const LINKS = ["wall", "links"];

/** Addresses that show the wall on a screen without a sign-in, until a set time. */
export function ScreenLinks() {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button size="small" onClick={() => setOpen(true)}>
        For a screen …
      </Button>
      {open && <Links onClose={() => setOpen(false)} />}
    </>
  );
}

function Links({ onClose }: { onClose: () => void }) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const [name, setName] = useState("");
  const [hours, setHours] = useState(12);
  const links = useQuery({ queryKey: LINKS, queryFn: () => ask(api.GET("/api/wall/links")) });
  const again = () => void queries.invalidateQueries({ queryKey: LINKS });
  const make = useMutation({
    mutationFn: () => ask(api.POST("/api/wall/links", { body: { name, hours } })),
    onSuccess: again,
    onError: fail,
  });
  const end = useMutation({
    mutationFn: (id: number) => ask(api.DELETE("/api/wall/links/{link_id}", { params: { path: { link_id: id } } })),
    onSuccess: again,
    onError: fail,
  });
  return (
    <Dialog title="The wall on a screen" open onClose={onClose}>
      <p className="max-w-[52ch] pb-2 text-[13.5px]">
        Whoever has the address sees names and values until it ends, and nothing else; nothing can be marked or answered
        with it.
      </p>
      <form
        className="flex flex-wrap items-end gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate();
        }}
      >
        <Field label="Which screen">
          <input
            className={inputLook}
            value={name}
            maxLength={120}
            placeholder="such as at the barrier"
            onChange={(event) => setName(event.target.value)}
          />
        </Field>
        <Field label="Shows it for">
          <select className={inputLook} value={hours} onChange={(event) => setHours(Number(event.target.value))}>
            {HOURS.map((each) => (
              <option key={each} value={each}>
                {each <= 24 ? `${each} h` : `${each / 24} days`}
              </option>
            ))}
          </select>
        </Field>
        <Button look="primary" type="submit" disabled={make.isPending}>
          Make an address
        </Button>
      </form>
      {make.data && (
        <Field label="Open this on the screen; it is not shown again">
          <input
            readOnly
            className={inputLook}
            value={`${window.location.origin}${make.data.address}`}
            onFocus={(event) => event.target.select()}
          />
        </Field>
      )}
      <ul className="pt-3 text-[13px]" aria-label="Screens">
        {links.data?.map((each) => (
          <li key={each.id} className="flex items-center gap-2 border-hair border-t py-1">
            <span className="min-w-0 flex-1 truncate">{each.name || "a screen"}</span>
            <span className="text-soft">until {moment(each.until)}</span>
            <button
              type="button"
              className="min-h-6 text-act hover:underline"
              aria-label={`End ${each.name || "a screen"} now`}
              onClick={() => end.mutate(each.id)}
            >
              end it now
            </button>
          </li>
        ))}
      </ul>
    </Dialog>
  );
}
