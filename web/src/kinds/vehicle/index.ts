import type { KindParts } from "@/sheet/contract";

const MACHINE = ["driver", "machine", "number", "vehicle", "run", "series", "team"];
const DISPLAY = ["brightness", "night_brightness", "night_from", "night_to"];

/** Vehicle: laps, course and lanes; who drives what, courses to send, the logger's display. */
export default {
  sheet: () => import("./review/VehicleSheet"),
  wantsRoom: true,
  settings: {
    editors: [
      { claims: MACHINE, load: () => import("./MachineEditor") },
      { claims: ["further"], load: () => import("./FurtherEditor") },
      { claims: ["course"], load: () => import("./CoursesEditor") },
      { claims: DISPLAY, load: () => import("./DisplayEditor") },
    ],
  },
} satisfies KindParts;
