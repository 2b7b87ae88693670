import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api, ask } from "@/api/client";
import { useKindWords } from "@/kinds/kinds";
import { Loading, Trouble } from "@/ui/basics";
import { SettingField } from "./SettingField";
import { Units } from "./Units";
import { type Scope, type SettingWord, useSettings } from "./useSettings";

interface Place {
  scope: Scope;
  of: string;
  name: string;
}

/** The settings that a place has: those of every scope it belongs to, and those of its kind. */
function wordsOf(words: SettingWord[], place: Place): Map<string, SettingWord[]> {
  const groups = new Map<string, SettingWord[]>();
  for (const word of words) {
    const fits = word.scopes.includes(place.scope) && (word.kind === "" || word.kind === place.of);
    if (fits) groups.set(word.group, [...(groups.get(word.group) ?? []), word]);
  }
  return groups;
}

/** Left whose settings, right what may be set; everything is kept as it is typed, and says who did. */
export default function Settings() {
  const settings = useSettings();
  const kinds = useKindWords().data ?? [];
  const teams = useQuery({ queryKey: ["people", "teams"], queryFn: () => ask(api.GET("/api/teams")) });
  const kind = useSearchParams()[0].get("kind");
  const [picked, setChosen] = useState<Place | null>(null);
  const asked = kinds.find((k) => k.key === kind);
  const [own, setOwn] = useState(false);
  const chosen: Place =
    picked ??
    (asked ? { scope: "kind", of: asked.key, name: asked.name } : { scope: "site", of: "", name: "Whole site" });
  if (settings.isError && !settings.data)
    return <Trouble view="Settings" error={settings.error} again={() => settings.refetch()} />;
  if (!settings.data) return <Loading view="Settings" what="the settings" />;
  const { data } = settings;
  const places: [string, Place[]][] = [
    ["", [{ scope: "site", of: "", name: "Whole site" }]],
    ["Teams", (teams.data ?? []).map(({ name }) => ({ scope: "team", of: name, name }))],
    ["Kinds", kinds.map((k) => ({ scope: "kind", of: k.key, name: k.name }))],
  ];
  const changed = (place: Place) =>
    data.kept.filter((k) => k.scope === place.scope && k.of === place.of && k.value !== null).length;
  return (
    <main className="grid h-full grid-cols-[190px_minmax(0,1fr)] min-[960px]:grid-cols-[232px_minmax(0,1fr)]">
      <nav aria-label="Whose settings" className="overflow-auto border-line border-r bg-panel py-3.5">
        <div className="mb-3">
          <h2 className="px-4 pb-1 text-soft">Yours</h2>
          <PlaceButton name="Units" here={own} onOpen={() => setOwn(true)} />
        </div>
        {places.map(
          ([heading, list]) =>
            list.length > 0 && (
              <div key={heading} className="mb-3">
                {heading && <h2 className="px-4 pb-1 text-soft">{heading}</h2>}
                {list.map((place) => {
                  const here = !own && place.scope === chosen.scope && place.of === chosen.of;
                  return (
                    <PlaceButton
                      key={place.name}
                      name={place.name}
                      here={here}
                      changed={changed(place)}
                      onOpen={() => {
                        setOwn(false);
                        setChosen(place);
                      }}
                    />
                  );
                })}
              </div>
            ),
        )}
      </nav>
      {own ? (
        <Units />
      ) : (
        <section aria-label={`Settings: ${chosen.name}`} className="overflow-auto px-5 py-[18px]">
          <h1>{chosen.name}</h1>
          <p className="mb-2 max-w-[70ch] text-soft">
            {chosen.scope === "site"
              ? "Holds everywhere, unless a team or a kind has its own. What was signed stays as it was."
              : chosen.scope === "team"
                ? "Holds for the people of this team, in place of the whole site’s."
                : "Holds for recordings of this kind."}
          </p>
          {[...wordsOf(data.words, chosen)].map(([group, words]) => (
            <section key={group} aria-label={group} className="mb-4 max-w-[760px]">
              <h2 className="mt-3 mb-1.5">{group}</h2>
              {words.map((word) => (
                <SettingField
                  key={`${chosen.scope} ${chosen.of} ${word.key}`}
                  settings={data}
                  word={word}
                  scope={chosen.scope}
                  of={chosen.of}
                />
              ))}
            </section>
          ))}
        </section>
      )}
    </main>
  );
}

function PlaceButton({
  name,
  here,
  changed = 0,
  onOpen,
}: {
  name: string;
  here: boolean;
  changed?: number;
  onOpen: () => void;
}) {
  return (
    <button
      type="button"
      aria-current={here ? "page" : undefined}
      onClick={onOpen}
      className={`flex min-h-7 w-full items-center justify-between gap-2 px-4 py-1 text-left hover:bg-act-soft ${here ? "border-brass border-l-4 bg-act-soft pl-3" : ""}`}
    >
      <span className="truncate">{name}</span>
      {changed > 0 && <span className="text-[12.5px] text-soft">{changed} set</span>}
    </button>
  );
}
