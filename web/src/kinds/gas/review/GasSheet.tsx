import { useMemo } from "react";
import type { Lane } from "@/charts/Lanes";
import type { ReviewSheetProps } from "@/sheet/contract";
import PlainSheet, { type OwnParts } from "@/sheet/PlainSheet";
import { SensorTable } from "./SensorTable";
import { AVERAGE, MEAN, sensorsOf, shortTerm, WITH, worthMarking } from "./sensors";

/** Every sensor on its own scale: the mean with the interval's lowest and highest, the 15-min mean over it, alarms shaded. */
export default function GasSheet(props: ReviewSheetProps) {
  const { kind, review, supposed, onWhy, actions, locked } = props;
  const shown = supposed.supposed ?? review.reviewed;
  const own = useMemo<OwnParts>(() => {
    const sensors = sensorsOf(review);
    const meaned = new Set(
      review.channels.filter((c) => shortTerm(shown, c.key.slice(0, -AVERAGE.length))).map((c) => c.key),
    );
    const there = new Set(review.channels.map((c) => c.key));
    const shadesOf = (gas: string): NonNullable<Lane["shades"]> =>
      (shown.events ?? [])
        .filter((e) => e.code === `${gas}.low` || e.code === `${gas}.high`)
        .map((e) => ({ startS: e.at_s, endS: e.end_s, colour: e.code.endsWith(".high") ? "above" : "action" }));
    return {
      heading: "Each sensor on its own scale",
      legend: "line: mean, with lowest and highest; dotted: 15-min mean; shaded: in alarm; hatched: not logged",
      noun: "sensors",
      replaces: ["sensors"],
      pickable: (channels) => channels.filter((c) => c.key.endsWith(AVERAGE)),
      asked: (picked) =>
        picked.flatMap((key) => [
          key,
          ...WITH.map((more) => key.replace(AVERAGE, `.${more}`)).filter((more) => there.has(more)),
          ...(meaned.has(key) ? [key.replace(AVERAGE, MEAN)] : []),
        ]),
      lanes: (read, picked) => {
        const by = new Map(read.map((lane) => [lane.key, lane]));
        const made = picked.flatMap((key): Lane[] => {
          const lane = by.get(key);
          const gas = key.slice(0, -AVERAGE.length);
          const sensor = sensors.find((each) => each.key === gas);
          if (!lane || !sensor) return [];
          const [low, high] = [by.get(`${gas}.min`)?.bins, by.get(`${gas}.max`)?.bins];
          const { bins } = lane;
          const same = bins && low?.mean.length === bins.mean.length && high?.mean.length === bins.mean.length;
          return [
            {
              ...lane,
              ...(bins && same ? { bins: { ...bins, low: low.low, high: high.high } } : {}),
              name: sensor.name,
              also: by.get(`${gas}${MEAN}`)?.bins,
              shades: shadesOf(gas),
              bracket: worthMarking(shown, gas) ? shortTerm(shown, gas) : undefined,
              says: sensor.says || undefined,
            },
          ];
        });
        const off = sensors
          .filter((each) => each.isOff && !there.has(`${each.key}${AVERAGE}`))
          .map(
            (each): Lane => ({ key: each.key, name: each.name, unit: "", look: "line", lines: [], says: each.says }),
          );
        return [...made, ...off];
      },
      tab: {
        key: "own",
        words: "Sensors against limits",
        body: <SensorTable kind={kind} review={review} shown={shown} actions={actions} locked={locked} onWhy={onWhy} />,
      },
    };
  }, [kind, review, shown, actions, locked, onWhy]);
  return <PlainSheet {...props} own={own} />;
}
