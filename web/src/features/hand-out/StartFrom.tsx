import type { Schemas } from "@/api/client";
import type { StartsFrom } from "./useDraft";

/** What the slip starts from: what the person had last, the recorder as it is, setups of one's own, those that come along. */
export function StartFrom({
  draft,
  from,
  team,
  basedOn,
  onStart,
}: {
  draft: Schemas["SetupDraft"];
  from: StartsFrom;
  team: string;
  basedOn: string;
  onStart: (from: StartsFrom) => void;
}) {
  const chosen = from.kept ? `kept ${from.kept}` : from.library ? `library ${from.library}` : from.recorder ? "it" : "";
  const own = draft.kept.filter((k) => !k.team || k.team === team);
  const others = draft.kept.filter((k) => k.team && k.team !== team);
  const choose = (value: string) => {
    if (value === "it") return onStart({ recorder: true });
    const [what, ...rest] = value.split(" ");
    const name = rest.join(" ");
    onStart(what === "kept" ? { kept: Number(name) } : what === "library" ? { library: name } : {});
  };
  return (
    <select
      aria-label="Start from a setup"
      title={chosen ? undefined : `from ${basedOn}`}
      className="ml-auto min-h-8 max-w-64 min-w-0 text-ellipsis rounded-md border border-line bg-panel px-2"
      value={chosen}
      onChange={(e) => choose(e.target.value)}
    >
      <option value="">{chosen ? "start over" : `from ${basedOn}`}</option>
      <option value="it">all as it is on the recorder</option>
      {own.length > 0 && (
        <optgroup label="Your setups">
          {own.map((k) => (
            <option key={k.id} value={`kept ${k.id}`}>
              {k.name}
              {k.team ? `, ${k.team}` : ""}
            </option>
          ))}
        </optgroup>
      )}
      {others.length > 0 && (
        <optgroup label="Of other teams">
          {others.map((k) => (
            <option key={k.id} value={`kept ${k.id}`}>
              {k.name}, {k.team}
            </option>
          ))}
        </optgroup>
      )}
      <optgroup label="That come with Kumpel">
        {draft.library.map((name) => (
          <option key={name} value={`library ${name}`}>
            {name}
          </option>
        ))}
      </optgroup>
    </select>
  );
}
