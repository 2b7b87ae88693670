import { useMemo, useState } from "react";
import type { Lane } from "@/charts/Lanes";
import type { ReviewSheetProps } from "@/sheet/contract";
import PlainSheet, { type OwnParts } from "@/sheet/PlainSheet";
import { Segmented } from "@/ui/segmented";
import { type By, CourseMap } from "./CourseMap";
import { PaceBands } from "./PaceBands";
import { Tree } from "./Tree";
import { partsOf } from "./tree";
import { paceWords, scaleOf, useWay } from "./way";
import { Efforts, Zones, zonesOf } from "./Zones";

const WAY = new Set(["lat", "lon", "way.m", "way.east", "way.north", "distance"]);
/** Slower than this is standing, and would take the whole scale. */
const SLOWEST_S = 900;

type Over = "distance" | "time";

const paceOf = (speed: number | null) => (speed === null ? null : -Math.min(1000 / Math.max(speed, 0.01), SLOWEST_S));

/** Speed as a pace: the fast above, in minutes a kilometre, or over 500 m on the water. */
function paceLane(lane: Lane, per500: boolean): Lane {
  const { bins } = lane;
  return {
    ...lane,
    name: "Pace",
    unit: per500 ? "/500 m" : "min/km",
    words: (value) => paceWords(per500 ? -value / 2 : -value),
    lines: [],
    bins: bins && { ...bins, low: bins.low.map(paceOf), high: bins.high.map(paceOf), mean: bins.mean.map(paceOf) },
  };
}

/** The course, what was measured along it, the tree of its parts; a pointer anywhere moves one dot. */
export default function TrainingSheet(props: ReviewSheetProps) {
  const { review, supposed } = props;
  const { session } = review;
  const shown = supposed.supposed ?? review.reviewed;
  const way = useWay(review);
  const [by, setBy] = useState<By>("pace");
  const [over, setOver] = useState<Over>("distance");
  const [atS, setAtS] = useState<number | null>(null);
  const [span, setSpan] = useState<[number, number] | null>(null);
  const scale = useMemo(() => (way && over === "distance" ? scaleOf(way) : undefined), [way, over]);
  const parts = useMemo(() => partsOf(shown), [shown]);
  const per500 =
    session.tags.sport === "rowing" ||
    shown.key_figures.includes("pace_500") ||
    parts.some((part) => (part.strokes ?? 0) > 1 && (part.perStroke ?? 0) > 4);
  const at = useMemo(() => (span ? { span } : undefined), [span]);
  const drawing = useMemo<Pick<OwnParts, "pickable" | "asked" | "lanes">>(
    () => ({
      pickable: (channels) => channels.filter((channel) => !WAY.has(channel.key)),
      asked: (picked) => picked,
      lanes: (read) => read.map((lane) => (lane.key === "speed" ? paceLane(lane, per500) : lane)),
    }),
    [per500],
  );
  const own = useMemo<OwnParts>(() => {
    const zones = zonesOf(shown).flatMap((zone) => (zone.fromBpm === null ? [] : [zone.fromBpm]));
    const look = (fromS: number, toS: number) => {
      const room = Math.max((toS - fromS) * 0.1, 5);
      setSpan([Math.max(fromS - room, 0), Math.min(toS + room, session.length_s)]);
    };
    return {
      heading: over === "distance" ? "Over the way" : "Over the time",
      noun: "channels",
      legend: "hatched: not measured, never filled in; drag to mark a stretch",
      replaces: ["levels", "zones", "pace_bands"],
      ...drawing,
      left: way ? <CourseMap way={way} by={by} onBy={setBy} zones={zones} atS={atS} onPoint={setAtS} /> : undefined,
      at,
      onCursor: setAtS,
      scale,
      switches: way && (
        <Segmented<Over>
          label="Lanes over"
          small
          choices={[
            ["distance", "distance"],
            ["time", "time"],
          ]}
          value={over}
          onChange={setOver}
        />
      ),
      besides: (
        <>
          <Zones shown={shown} />
          <PaceBands shown={shown} per500={per500} />
          <Efforts shown={shown} onMoment={look} />
        </>
      ),
      tab: {
        key: "own",
        words: "Session, intervals, splits",
        body: (
          <Tree review={review} parts={parts} atS={atS} per500={per500} onPart={(part) => look(part.fromS, part.toS)} />
        ),
      },
    };
  }, [review, shown, way, by, over, atS, at, scale, parts, per500, drawing, session.length_s]);
  return <PlainSheet {...props} own={own} />;
}
