import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, ask, type Schemas } from "@/api/client";
import type { Settings } from "@/setup/settings";
import { Button, Field, inputLook } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";

/** Keeping the settings of a slip under a name, for the person's team or for everybody; and taking kept ones away. */
export function KeepSetup({
  draft,
  settings,
  team,
}: {
  draft: Schemas["SetupDraft"];
  settings: Settings;
  team: string;
}) {
  const [open, setOpen] = useState(false);
  const [name, setName] = useState("");
  const [forTeam, setForTeam] = useState(Boolean(team));
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const again = () => queries.invalidateQueries({ queryKey: ["draft"] });
  const keep = useMutation({
    mutationFn: () =>
      ask(
        api.POST("/api/setups", { body: { name: name.trim(), team: forTeam ? team : "", kind: draft.kind, settings } }),
      ),
    onSuccess: (kept) => {
      setOpen(false);
      setName("");
      again();
      say(`“${kept.name}” is kept${kept.team ? ` for ${kept.team}` : ""}. Nothing about the person is in it.`);
    },
    onError: fail,
  });
  const away = useMutation({
    mutationFn: (setup: Schemas["KeptSetup"]) =>
      ask(api.DELETE("/api/setups/{setup_id}", { params: { path: { setup_id: setup.id } } })),
    onSuccess: (_, setup) => {
      again();
      say(`“${setup.name}” is taken away.`, () => {
        ask(api.POST("/api/setups/{setup_id}/bring-back", { params: { path: { setup_id: setup.id } } })).then(
          again,
          fail,
        );
      });
    },
    onError: fail,
  });
  return (
    <>
      <Button look="quiet" size="small" onClick={() => setOpen(true)}>
        Keep this setup
      </Button>
      <Dialog title="Keep this setup" open={open} onClose={() => setOpen(false)}>
        <form
          className="grid gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            keep.mutate();
          }}
        >
          <Field label="Name">
            <input
              className={inputLook}
              value={name}
              maxLength={60}
              required
              onChange={(e) => setName(e.target.value)}
            />
          </Field>
          {team && (
            <label className="flex items-center gap-2">
              <input type="checkbox" checked={forTeam} onChange={(e) => setForTeam(e.target.checked)} />
              for {team} only
            </label>
          )}
          <p className="text-[13px] text-soft">
            Times of day, weight, names and what else is the person's own are not kept in it.
          </p>
          <div>
            <Button look="primary" type="submit" disabled={!name.trim() || keep.isPending}>
              Keep “{name.trim().slice(0, 24)}”
            </Button>
          </div>
        </form>
        {draft.kept.length > 0 && (
          <>
            <h3 className="mt-5 mb-1 font-medium">Kept setups of this kind</h3>
            <ul>
              {draft.kept.map((setup) => (
                <li key={setup.id} className="flex items-baseline gap-2 border-hair border-t py-1">
                  <span className="min-w-0 flex-1 truncate">{setup.name}</span>
                  <span className="text-soft">{setup.team || "everybody"}</span>
                  <Button
                    look="quiet"
                    size="small"
                    aria-label={`take “${setup.name}” away`}
                    onClick={() => away.mutate(setup)}
                  >
                    take away
                  </Button>
                </li>
              ))}
            </ul>
          </>
        )}
      </Dialog>
    </>
  );
}
