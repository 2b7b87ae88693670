import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask } from "@/api/client";
import { Button, inputLook } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { day } from "@/ui/format";
import { useNotices } from "@/ui/notices";

/** The plan in one's own calendar: an address that is shown once, with or without names, taken back at any time. */
export function Feeds() {
  const queries = useQueryClient();
  const { fail, say } = useNotices();
  const [named, setNamed] = useState(false);
  const [made, setMade] = useState("");
  const feeds = useQuery({ queryKey: ["feeds"], queryFn: () => ask(api.GET("/api/plan/feeds")) });
  const anew = () => queries.invalidateQueries({ queryKey: ["feeds"] });
  const make = useMutation({
    mutationFn: () => ask(api.POST("/api/plan/feeds", { body: { named, name: "" } })),
    onSuccess: (feed) => {
      setMade(new URL(feed.path, window.location.href).href);
      void anew();
    },
    onError: fail,
  });
  const remove = useMutation({
    mutationFn: (id: number) => ask(api.DELETE("/api/plan/feeds/{feed_id}", { params: { path: { feed_id: id } } })),
    onSuccess: () => {
      say("This address opens nothing any more.");
      void anew();
    },
    onError: fail,
  });
  return (
    <details className="mt-4 text-[13px]">
      <summary className="cursor-pointer text-act">in your own calendar</summary>
      <div className="mt-1 grid gap-1.5">
        <label className="flex min-h-7 items-center gap-2">
          <input
            type="checkbox"
            className="size-4 accent-(--act)"
            checked={named}
            onChange={(event) => setNamed(event.target.checked)}
          />
          with the names of people
        </label>
        <div>
          <Button size="small" disabled={make.isPending} onClick={() => make.mutate()}>
            Make an address
          </Button>
        </div>
        {feeds.data?.map((feed) => (
          <span key={feed.id} className="flex items-baseline gap-2 border-hair border-t pt-1">
            <span className="min-w-0 flex-1 text-soft">
              since {day(feed.made_at)}, {feed.named ? "with" : "without"} names
              {feed.used_at ? `, read ${day(feed.used_at)}` : ", not read yet"}
            </span>
            <Button look="quiet" size="small" onClick={() => remove.mutate(feed.id)}>
              take back
            </Button>
          </span>
        ))}
      </div>
      {made && (
        <Dialog title="The address of your calendar" open wide onClose={() => setMade("")}>
          <p>
            Whoever has it reads the plan without a sign-in. It is shown this once; subscribe to it in your calendar.
          </p>
          <input
            className={`${inputLook} mt-3`}
            readOnly
            aria-label="Address of the feed"
            value={made}
            onFocus={(event) => event.target.select()}
          />
        </Dialog>
      )}
    </details>
  );
}
