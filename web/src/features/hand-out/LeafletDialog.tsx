import { useQuery } from "@tanstack/react-query";
import { api, ask, type Schemas } from "@/api/client";
import { Loading, Trouble } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";

/** The leaflet for the wearer as it would be with what stands on the slip; printed from here. */
export function LeafletDialog({
  recorder,
  person,
  settings,
  tags,
  onClose,
}: {
  recorder: Schemas["Recorder"];
  person: Schemas["Person"];
  settings: Record<string, unknown>;
  tags: Record<string, string>;
  onClose: () => void;
}) {
  const leaflet = useQuery({
    queryKey: ["draft", "leaflet", recorder.id, person.id, settings, tags],
    queryFn: () =>
      ask(
        api.POST("/api/recorders/{recorder_id}/leaflet", {
          params: { path: { recorder_id: recorder.id } },
          body: { person_id: person.id, settings, tags },
        }),
      ),
    gcTime: 0,
  });
  const first = person.name.split(" ")[0];
  return (
    <Dialog title={`Leaflet for ${first}`} open onClose={onClose}>
      {leaflet.isError && <Trouble error={leaflet.error} again={() => leaflet.refetch()} />}
      {leaflet.isPending && <Loading what="the leaflet" />}
      {leaflet.data && (
        <div className="grid justify-items-start gap-3">
          <img
            src={leaflet.data.page}
            alt={`The leaflet for ${first}, A5, follows the slip`}
            className="max-h-[58vh] border border-line bg-white"
          />
          <a
            className="inline-flex min-h-[34px] items-center rounded-md border border-line bg-panel px-3.5 font-medium"
            href={leaflet.data.pdf}
            download={leaflet.data.name}
          >
            Print leaflet, A5
          </a>
        </div>
      )}
    </Dialog>
  );
}
