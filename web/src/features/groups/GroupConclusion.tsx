import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import type { Schemas } from "@/api/client";
import { useKindWords } from "@/kinds/kinds";
import { Button } from "@/ui/basics";
import { ConclusionField, type Kept } from "@/ui/conclusion";
import { day } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { ReasonDialog } from "@/ui/reason";
import type { Group, useGroup } from "./useGroup";

/** The conclusion on a group: kept while it is written, signed as it is seen, opened again with a reason. */
export function GroupConclusion({ group, actions }: { group: Group; actions: ReturnType<typeof useGroup> }) {
  const queries = useQueryClient();
  const { fail } = useNotices();
  const [key] = useState(
    () => `kumpel.group.${group.id}.${queries.getQueryData<Schemas["State"]>(["state"])?.me?.login ?? ""}`,
  );
  const blocks = useKindWords().data?.find((k) => k.key === group.kind)?.blocks ?? [];
  const [signing, setSigning] = useState(false);
  const [opening, setOpening] = useState(false);
  const field = useRef<Kept | null>(null);
  const signed = group.signed;
  const sign = async () => {
    setSigning(true);
    try {
      // Just what is on the screen is signed: first it has to be on record.
      const version = (await field.current?.settle()) ?? group.conclusion_version;
      await actions.sign(group.version, version);
    } catch (error) {
      fail(new Error(`Not signed. ${error instanceof Error ? error.message : ""}`));
    } finally {
      setSigning(false);
    }
  };
  return (
    <section aria-label="Conclusion" className="mt-4">
      <h2 className="mb-1">Conclusion</h2>
      <ConclusionField
        storeKey={key}
        record={{
          text: signed ? signed.conclusion : group.conclusion,
          version: group.conclusion_version,
          by: "",
        }}
        blocks={blocks}
        locked={signed !== null}
        label="Conclusion on the group"
        conclude={actions.conclude}
        again={actions.found.refetch}
        kept={field}
      />
      {signed && (
        <p className="mt-1 text-[13px] text-soft">
          Signed off by {signed.by}, {day(signed.at)}.
        </p>
      )}
      <div className="mt-2 flex flex-wrap gap-2">
        {signed ? (
          <Button onClick={() => setOpening(true)}>Open again</Button>
        ) : (
          <Button main look="primary" disabled={signing} onClick={() => void sign()}>
            {signing ? "Signing …" : "Sign off"}
          </Button>
        )}
      </div>
      {opening && (
        <ReasonDialog
          title="Open the conclusion again"
          text="What was signed stays on record."
          hint="a shift came in later"
          action="Open again"
          onClose={() => setOpening(false)}
          onReason={(why) => {
            setOpening(false);
            void actions.openAgain(why);
          }}
        />
      )}
    </section>
  );
}
