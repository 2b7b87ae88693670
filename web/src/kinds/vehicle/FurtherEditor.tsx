import { Link } from "react-router";
import type { SetupEditorProps } from "@/setup/editor";
import { ListPart } from "@/setup/ListPart";

/** The further sensors of the vehicle: whether each is logged. What they are is declared with the vehicle, so none is added here. */
export default function FurtherEditor({ settings, fields, draft, put }: SetupEditorProps) {
  const list = draft.lists.find((each) => each.path === "further");
  const count = ((settings.further as unknown[] | undefined) ?? []).length;
  if (!list || (count === 0 && fields.length === 0)) return null;
  return (
    <section aria-label="Further sensors" className="grid grid-cols-[150px_minmax(0,1fr)_minmax(0,auto)]">
      <p className="col-span-3 border-hair border-t px-4 pt-2 text-[12.5px] text-soft">
        Further sensors of the vehicle, declared under{" "}
        <Link to="/vehicles" className="text-act underline">
          Vehicles and courses
        </Link>
      </p>
      <ListPart
        list={{ ...list, fewest: count, most: count }}
        told={["name", "hz", "input"]}
        {...{ fields, settings, put }}
      />
    </section>
  );
}
