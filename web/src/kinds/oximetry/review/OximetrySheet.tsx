import { useMemo, useState } from "react";
import type { Lane } from "@/charts/Lanes";
import { figureOf } from "@/sheet/assessed";
import type { ReviewSheetProps } from "@/sheet/contract";
import PlainSheet, { type OwnParts } from "@/sheet/PlainSheet";
import { offsetChanges, wallMoment } from "@/ui/format";
import { Hours } from "./Hours";
import { Below, DepthAndLength, fallsOf } from "./Pictures";

const HOUR_S = 3600;

/** Saturation with its falls shaded to their depth, the pulse under it; hour by hour; falls by depth and length. */
export default function OximetrySheet(props: ReviewSheetProps) {
  const { review, supposed } = props;
  const { session } = review;
  const shown = supposed.supposed ?? review.reviewed;
  const [span, setSpan] = useState<[number, number] | null>(null);
  const at = useMemo(() => (span ? { span } : undefined), [span]);
  const clock = useMemo(() => wallMoment(session, offsetChanges(review.events)), [session, review.events]);
  const own = useMemo<OwnParts>(() => {
    const falls = fallsOf(shown);
    const valid = figureOf(shown, "valid");
    const look = (fromS: number, toS: number) => setSpan([Math.max(fromS, 0), Math.min(toS, session.length_s)]);
    const withFalls = (lane: Lane): Lane =>
      lane.key === "spo2"
        ? {
            ...lane,
            high: 150,
            falls: falls.map((fall) => ({ startS: fall.atS, endS: fall.endS, from: fall.baseline, kept: fall.kept })),
          }
        : lane;
    return {
      heading: "The night",
      noun: "channels",
      legend: `shaded: falls from where they began; hatched: nothing measured, and where the probe was off a mark above; indices are over ${
        valid?.value == null
          ? "the"
          : `${Math.floor(valid.value)}:${String(Math.round((valid.value % 1) * 60)).padStart(2, "0")} h of`
      } valid time`,
      replaces: ["hours", "positions"],
      pickable: (channels) => channels,
      asked: (picked) => picked,
      lanes: (read) => read.map(withFalls),
      at,
      besides: (
        <>
          <DepthAndLength falls={falls} />
          <Below shown={shown} />
        </>
      ),
      tab: {
        key: "own",
        words: "Hour by hour",
        body: <Hours shown={shown} clock={clock} onTime={(from) => look(from, from + HOUR_S)} />,
      },
    };
  }, [shown, session.length_s, at, clock]);
  return <PlainSheet {...props} own={own} />;
}
