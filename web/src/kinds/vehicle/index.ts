import type { KindParts } from "../sheet";

const MACHINE = ["driver", "machine", "number", "vehicle", "run", "series", "team"];
const DISPLAY = ["brightness", "night_brightness", "night_from", "night_to"];

/** Vehicle: who drives what, courses to send, the logger's display. */
export default {
  settings: {
    editors: [
      { claims: MACHINE, load: () => import("./MachineEditor") },
      { claims: ["course"], load: () => import("./CoursesEditor") },
      { claims: DISPLAY, load: () => import("./DisplayEditor") },
    ],
  },
} satisfies KindParts;
