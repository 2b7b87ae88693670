import type { ComponentType } from "react";
import type { Schemas } from "@/api/client";
import type { Settings, SetupField } from "./settings";

/** What an editor of a kind gets: the settings with what differs on the recorder, who it is for, and how to change them. */
export interface SetupEditorProps {
  settings: Settings;
  fields: SetupField[];
  draft: Schemas["SetupDraft"];
  person: Schemas["Person"];
  recorder: Schemas["Recorder"];
  put: (path: string, value: unknown) => void;
  /** Several settings at once. */
  putAll: (values: Settings) => void;
  /** The courses that are to be on it, by name; null leaves those that are there. */
  courses: string[] | null;
  onCourses: (courses: string[] | null) => void;
  /** The picture that will be written; null leaves the one on the recorder. */
  picture: Schemas["Drawn"] | null;
  onPicture: (picture: Schemas["Drawn"] | null) => void;
}

/** An editor that stands in place of the rows of some settings. */
export interface SetupEditor {
  /** Settings (the first part of their path) that it shows and changes. */
  claims: string[];
  /** It shows what will come of the settings itself. */
  showsPlan?: boolean;
  load: () => Promise<{ default: ComponentType<SetupEditorProps> }>;
}
