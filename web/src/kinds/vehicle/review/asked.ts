/** What is asked: kept for each vehicle when somebody says so; until then it is only tried. */
export interface Asked {
  quantity: string;
  over: string;
  andOver: string;
  edges: number[];
  andEdges: number[];
  low: number | null;
  high: number | null;
  fewest: number;
  laps: string;
  /** The break points are middles of cells, as in the map of an engine. */
  around: boolean;
  /** By which fuel the mixture is read as mass of air to fuel; empty: as excess of air; a number as text: typed. */
  fuel: string;
}

const USUAL: Asked = {
  quantity: "mixture",
  over: "rpm",
  andOver: "throttle",
  edges: [],
  andEdges: [],
  low: null,
  high: null,
  fewest: 20,
  laps: "counted",
  around: false,
  fuel: "",
};

/** What was remembered of a table; null when it is none. */
export function readAsked(kept: unknown): Partial<Asked> | null {
  if (typeof kept !== "object" || kept === null) return null;
  const known = Object.entries(kept).filter(([key, value]) => {
    const usual = USUAL[key as keyof Asked];
    if (usual === undefined) return false;
    if (Array.isArray(usual)) return Array.isArray(value) && value.every((v) => typeof v === "number");
    return usual === null ? value === null || typeof value === "number" : typeof value === typeof usual;
  });
  return Object.fromEntries(known) as Partial<Asked>;
}

/** The first table of a session: as it was asked last of this vehicle; else the mixture, or the first that it has. */
export function begin(own: Partial<Asked> | null, keys: string[], target: readonly [number, number] | null): Asked {
  const there = (key: string, other: number) => (keys.includes(key) ? key : (keys[other] ?? keys[0] ?? ""));
  const asked = { ...USUAL, ...own, laps: "counted" };
  const same = keys.includes(asked.quantity);
  return {
    ...asked,
    quantity: there(asked.quantity, 0),
    over: there(asked.over, 1),
    andOver: there(asked.andOver, 2),
    // Boundaries belong to the quantity that they were typed for.
    edges: keys.includes(asked.over) ? asked.edges : [],
    andEdges: keys.includes(asked.andOver) ? asked.andEdges : [],
    low: same ? (asked.low ?? target?.[0] ?? null) : null,
    high: same ? (asked.high ?? target?.[1] ?? null) : null,
  };
}

/** What was changed and not kept, by session, as long as the page is open: looking at something else loses none of it. */
export const tried = new Map<number, Asked>();

/** Whether two tables ask the same; in which laps is not kept. */
export const sameTable = (a: Asked, b: Asked) =>
  JSON.stringify({ ...a, laps: "" }) === JSON.stringify({ ...b, laps: "" });
