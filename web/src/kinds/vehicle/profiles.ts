/** What a kind of vehicle is looked at by, as long as nobody arranged it for this one: lanes beside speed and pedals, the first table. */
export interface Profile {
  lanes: readonly string[];
  table: { quantity: string; over: string; andOver: string };
}

const MIXTURE = { quantity: "mixture", over: "rpm", andOver: "throttle" };

export const PROFILES: Readonly<Record<string, Profile>> = {
  kart: { lanes: [], table: MIXTURE },
  "geared kart": { lanes: ["gear"], table: MIXTURE },
  car: { lanes: ["gear", "steering"], table: { quantity: "steering", over: "speed", andOver: "lateral_g" } },
  motorcycle: { lanes: ["gear", "lateral_g"], table: MIXTURE },
  hauler: { lanes: ["water_temp"], table: { quantity: "water_temp", over: "rpm", andOver: "throttle" } },
};
