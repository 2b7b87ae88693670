import { useQuery } from "@tanstack/react-query";
import { useId, useState } from "react";
import { api, ask } from "@/api/client";
import { Button, inputLook, Refused } from "@/ui/basics";
import { numberOf } from "@/ui/entry";
import { day } from "@/ui/format";
import { useTyped } from "@/ui/typed";
import { keptOf, type Scope, type Settings, type SettingValue, type SettingWord, useKeepSetting } from "./useSettings";

const shownAs = (value: SettingValue | undefined): string =>
  Array.isArray(value) ? value.join("\n") : value === undefined || value === null ? "" : String(value);

/** A picture as a data URL. */
const read = (file: File): Promise<string> =>
  new Promise((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve(String(reader.result));
    reader.onerror = () => reject(reader.error);
    reader.readAsDataURL(file);
  });

/** What holds when nothing is set here: the site's, else as shipped. */
function inherited(settings: Settings, word: SettingWord, scope: Scope): SettingValue {
  const site = scope === "site" ? null : keptOf(settings, word.key, "site", "")?.value;
  return site ?? word.default;
}

/** One setting of a scope: kept when the field is left; who set it, and the way back. */
export function SettingField({
  settings,
  word,
  scope,
  of,
}: {
  settings: Settings;
  word: SettingWord;
  scope: Scope;
  of: string;
}) {
  const id = useId();
  const keep = useKeepSetting();
  const kept = keptOf(settings, word.key, scope, of);
  const own = kept?.value ?? null;
  const from = inherited(settings, word, scope);
  const { text, awaited, typed, type, forget, send } = useTyped(shownAs(own));
  const [wrong, setWrong] = useState<string | null>(null);
  const many =
    word.type === "lines" ||
    word.type === "networks" ||
    word.type === "days" ||
    word.type === "addresses" ||
    word.type === "paths";
  const sets = useQuery({
    queryKey: ["limit-sets"],
    queryFn: () => ask(api.GET("/api/limit-sets")),
    enabled: word.type === "limit set",
  });
  const put = (value: SettingValue) => {
    setWrong(null);
    const answer = keep.mutateAsync({ key: word.key, scope, of, value, version: kept?.version ?? 0 });
    send(
      shownAs(value),
      answer.then(
        () => true,
        () => false,
      ),
    );
  };
  const commit = () => {
    if (typed === null) return;
    if (typed === awaited || (!typed.trim() && awaited === "")) {
      setWrong(null);
      return forget();
    }
    // What was only begun from, and left as it is, is nothing of one's own.
    if (own === null && typed === shownAs(from)) return forget();
    if (!typed.trim()) return put(null);
    if (many) return put(typed.split("\n"));
    if (word.type !== "number") return put(typed);
    const entry = numberOf(typed, { unit: word.unit, low: word.low ?? undefined, high: word.high ?? undefined });
    if ("wrong" in entry) return setWrong(entry.wrong);
    put(entry.value);
  };
  const shared = {
    id,
    className: inputLook,
    value: text,
    "aria-invalid": wrong !== null,
    onBlur: commit,
  };
  return (
    <div className="grid grid-cols-[190px_minmax(0,1fr)] gap-x-4 border-hair border-t py-2.5">
      <label htmlFor={id} className="pt-1.5">
        {word.label} <span className="block text-[12.5px] text-soft">{word.hint}</span>
      </label>
      <div>
        {word.type === "picture" ? (
          <span className="flex flex-wrap items-center gap-3">
            {own && (
              <img src={String(own)} alt="The logo as it is" className="max-h-14 max-w-60 rounded bg-white p-1" />
            )}
            <input
              id={id}
              type="file"
              accept="image/png"
              className="text-[13px] file:mr-3 file:min-h-[34px] file:rounded-md file:border file:border-line file:bg-panel file:px-3 file:text-ink"
              onChange={async (e) => {
                const file = e.target.files?.[0];
                if (file) put(await read(file));
                e.target.value = "";
              }}
            />
          </span>
        ) : word.type === "limit set" ? (
          <select id={id} className={inputLook} value={shownAs(own)} onChange={(e) => put(e.target.value || null)}>
            <option value="">as shipped</option>
            {[...new Map((sets.data ?? []).filter((s) => s.kind === of).map((s) => [s.key, s.name]))].map(
              ([key, name]) => (
                <option key={key} value={key}>
                  {name}
                </option>
              ),
            )}
          </select>
        ) : word.type === "choice" ? (
          <select id={id} className={inputLook} value={shownAs(own ?? from)} onChange={(e) => put(e.target.value)}>
            {word.choices?.map((each) => (
              <option key={each} value={each}>
                {each}
              </option>
            ))}
          </select>
        ) : word.type === "text" || many ? (
          <textarea
            {...shared}
            rows={many || word.high ? Math.min(Math.max(shownAs(own ?? from).split("\n").length, 3), 12) : 3}
            placeholder={shownAs(from)}
            onChange={(e) => type(e.target.value)}
          />
        ) : (
          <span className="flex items-center gap-2">
            <input
              {...shared}
              type={word.type === "secret" ? "password" : "text"}
              autoComplete={word.type === "secret" ? "new-password" : undefined}
              value={word.type === "secret" ? (typed ?? "") : text}
              className={word.type === "number" ? `${inputLook} max-w-28` : inputLook}
              placeholder={word.type === "secret" && own ? "is set; type another one to change it" : shownAs(from)}
              onChange={(e) => type(e.target.value)}
              onKeyDown={(e) => e.key === "Enter" && commit()}
            />
            {word.unit}
          </span>
        )}
        <Refused why={wrong} />
        {word.type === "secret" && keptOf(settings, "mail.security", "site", "")?.value === "none" && (
          <p className="mt-1 text-[12.5px] text-action">
            The connection is set to none: this password, and every report, can be read by anyone on the way.
          </p>
        )}
        <p className="mt-1 flex flex-wrap items-center gap-x-3 text-[12.5px] text-soft">
          {own === null && typed === null && (many || word.type === "text") && shownAs(from) !== "" && (
            <Button
              look="quiet"
              size="small"
              onClick={() => {
                type(shownAs(from));
                document.getElementById(id)?.focus();
              }}
            >
              change these
            </Button>
          )}
          {own === null ? (
            scope !== "site" && keptOf(settings, word.key, "site", "")?.value != null ? (
              "as set for the whole site"
            ) : shownAs(from) === "" && word.type !== "limit set" ? (
              "not set"
            ) : (
              "as shipped"
            )
          ) : (
            <>
              set {kept?.by ? `by ${kept.by}` : ""} {kept?.at ? `on ${day(kept.at)}` : ""}
              <Button look="quiet" size="small" onClick={() => put(null)}>
                {word.scopes.includes("site") && scope !== "site"
                  ? "as for the whole site"
                  : shownAs(word.default as SettingValue)
                    ? "as shipped"
                    : "take away"}
              </Button>
            </>
          )}
        </p>
      </div>
    </div>
  );
}
