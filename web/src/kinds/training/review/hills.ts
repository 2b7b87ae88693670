import type { Assessment } from "@/sheet/assessed";

/** A climb: when, how high, how long, and where it begins and ends. */
export interface Climb {
  fromS: number;
  climb: number;
  length: number;
  seconds: number;
  pace: number;
  hourly: number;
  rate: number | null;
  foot: [number, number] | null;
  top: [number, number] | null;
}

const SAME_M = 60;
const METRES_A_DEGREE = 111_195;

export function hillsOf(shown: Assessment): Climb[] {
  const table = shown.tables.find((each) => each.key === "hills");
  if (!table) return [];
  const at = (name: string) => table.columns.findIndex((column) => column.name === name);
  return table.rows.map((row): Climb => {
    const numberOf = (name: string) => {
      const value = row[at(name)];
      return typeof value === "number" ? value : null;
    };
    const place = (of: string): [number, number] | null => {
      const [north, east] = [numberOf(`${of} north`), numberOf(`${of} east`)];
      return north === null || east === null ? null : [north, east];
    };
    return {
      fromS: numberOf("From") ?? 0,
      climb: numberOf("Climb") ?? 0,
      length: numberOf("Length") ?? 0,
      seconds: numberOf("Time") ?? 0,
      pace: numberOf("Pace") ?? 0,
      hourly: numberOf("Climbed an hour") ?? 0,
      rate: numberOf("Heart rate"),
      foot: place("Foot"),
      top: place("Top"),
    };
  });
}

function isNear(one: [number, number] | null, other: [number, number] | null): boolean {
  if (!one || !other) return false;
  const east = (other[1] - one[1]) * Math.cos((one[0] * Math.PI) / 180);
  return Math.hypot(other[0] - one[0], east) * METRES_A_DEGREE <= SAME_M;
}

/** Climbs of several sessions by hill: those that more than one climb met, each with the session it is of. */
export function sameHills(of: Climb[][]): { of: number; climb: Climb }[][] {
  const hills: { of: number; climb: Climb }[][] = [];
  of.forEach((climbs, session) => {
    for (const climb of climbs) {
      const known = hills.find(
        ([first]) => first && isNear(first.climb.foot, climb.foot) && isNear(first.climb.top, climb.top),
      );
      if (known) known.push({ of: session, climb });
      else hills.push([{ of: session, climb }]);
    }
  });
  return hills.filter((hill) => hill.length > 1);
}
