import { type ComponentType, lazy, Suspense } from "react";
import type { Schemas } from "@/api/client";
import { fetched } from "@/api/fetched";
import type { SetupEditor, SetupEditorProps } from "./editor";
import { Fold } from "./Fold";
import { ListPart } from "./ListPart";
import { PlanFacts } from "./PlanFacts";
import { Row } from "./Row";
import { nameOf, type Settings, type SetupField, withBrought } from "./settings";

/** What goes onto the recorder beside its settings. */
type Beside = Pick<SetupEditorProps, "picture" | "onPicture" | "courses" | "onCourses">;

const loaded = new Map<SetupEditor, ComponentType<SetupEditorProps>>();

function componentOf(editor: SetupEditor): ComponentType<SetupEditorProps> {
  const made = loaded.get(editor) ?? lazy(fetched(editor.load));
  loaded.set(editor, made);
  return made;
}

/**
 * The settings of a recorder as a form, made from the kind's declaration: editors of the kind first in place of what they claim,
 * values, lists, what will come of it, then the folded lines.
 */
export function SetupForm({
  fields,
  draft,
  settings,
  person,
  recorder,
  summary,
  editors = [],
  onChange,
  ...beside
}: Beside & {
  fields: SetupField[];
  draft: Schemas["SetupDraft"];
  settings: Settings;
  person: Schemas["Person"];
  recorder: Schemas["Recorder"];
  /** An item of a list in the words of the kind, when it has its own. */
  summary?: (item: string, settings: Settings) => string;
  editors?: SetupEditor[];
  onChange: (settings: Settings) => void;
}) {
  const put = (path: string, value: unknown) => onChange(withBrought(settings, fields, path, value));
  const editorOf = (name: string) => editors.find((e) => e.claims.includes(name));
  const names = [...new Set([...fields.map((f) => nameOf(f.path)), ...draft.lists.map((l) => l.path)])];
  const order = Object.keys(draft.settings);
  names.sort((a, b) => order.indexOf(a) - order.indexOf(b));
  const shown = new Set<SetupEditor>();
  const foldOf = (name: string) => fields.find((f) => nameOf(f.path) === name)?.form.fold ?? "";
  const open = names.map((name) => {
    const editor = editorOf(name);
    if (editor) {
      if (shown.has(editor)) return null;
      shown.add(editor);
      const Editor = componentOf(editor);
      const claimed = fields.filter((f) => editor.claims.includes(nameOf(f.path)));
      return (
        <div key={editor.claims[0]} className="col-span-3 min-w-0">
          <Suspense fallback={<p className="p-4 text-soft">…</p>}>
            <Editor
              settings={settings}
              fields={claimed}
              draft={draft}
              person={person}
              recorder={recorder}
              put={put}
              putAll={(values) => onChange({ ...settings, ...values })}
              {...beside}
            />
          </Suspense>
        </div>
      );
    }
    if (foldOf(name)) return null;
    const own = fields.filter((f) => nameOf(f.path) === name);
    const list = draft.lists.find((l) => l.path === name);
    if (list) return <ListPart key={name} {...{ list, fields: own, settings, summary, put }} />;
    return own.map((f) => <Row key={f.path} field={f} label={f.label} onChange={(value) => put(f.path, value)} />);
  });
  const folds = [...new Set(names.filter((n) => !editorOf(n)).map(foldOf))].filter(Boolean);
  return (
    <>
      {open}
      {![...shown].some((e) => e.showsPlan) && <PlanFacts plan={draft.plan} />}
      {folds.map((fold) => (
        <Fold
          key={fold}
          label={fold}
          fields={fields.filter((f) => f.form.fold === fold && !editorOf(nameOf(f.path)))}
          onChange={put}
        />
      ))}
    </>
  );
}
