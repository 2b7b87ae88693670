import { useMemo, useState } from "react";
import type { ReviewSheetProps } from "@/sheet/contract";
import PlainSheet, { type OwnParts } from "@/sheet/PlainSheet";
import { offsetChanges, wallClock } from "@/ui/format";
import { Clouds } from "./Clouds";
import { caseOf } from "./case";
import { Minutes } from "./Minutes";
import { StripView } from "./StripView";

/** Before something that happened, so much of the strip is seen. */
const AHEAD_S = 3;
/** The case is only an overview: the strip under it is what is read. */
const SLIM_PX = 58;

/** The whole case, under it the part that is looked at to scale, and the compressions against their targets. */
export default function ResuscitationSheet(props: ReviewSheetProps) {
  const { review, supposed } = props;
  const { session } = review;
  const shown = supposed.supposed ?? review.reviewed;
  const about = useMemo(() => caseOf(review), [review]);
  const clock = useMemo(() => wallClock(session, offsetChanges(review.events)), [session, review.events]);
  const [fromS, setFromS] = useState(() =>
    Math.max((about.said.find((s) => s.code === "shock")?.atS ?? 0) - AHEAD_S, 0),
  );
  const [wideS, setWideS] = useState(8);
  const own = useMemo<OwnParts>(
    () => ({
      heading: "Whole case",
      noun: "channels",
      legend: "the shaded part stands below to scale; a click moves it; hatched: pads not on",
      replaces: ["minutes"],
      pickable: (channels) => channels,
      asked: (picked) => picked,
      lanes: (read) =>
        read.map((lane) => ({
          ...lane,
          high: SLIM_PX,
          ...(lane.key === "ecg" ? { shades: [{ startS: fromS, endS: fromS + wideS, colour: "act" as const }] } : {}),
        })),
      onMoment: (atS) => setFromS(Math.min(Math.max(atS - AHEAD_S, 0), Math.max(session.length_s - wideS / 2, 0))),
      below: (
        <StripView review={review} about={about} fromS={fromS} onMove={setFromS} onWide={setWideS} clock={clock} />
      ),
      besides: <Clouds about={about} />,
      tab: {
        key: "own",
        words: "Minute by minute",
        body: <Minutes shown={shown} clock={clock} onMinute={setFromS} />,
      },
    }),
    [review, about, fromS, wideS, clock, shown, session.length_s],
  );
  return <PlainSheet {...props} own={own} />;
}
