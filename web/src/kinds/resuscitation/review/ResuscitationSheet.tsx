import { useCallback, useMemo, useState } from "react";
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
  const [wished, setWished] = useState(() => ({
    fromS: Math.max((about.said.find((s) => s.code === "shock")?.atS ?? 0) - AHEAD_S, 0),
  }));
  const [seen, setSeen] = useState<[number, number]>([wished.fromS, 8]);
  const onSeen = useCallback((fromS: number, seconds: number) => setSeen([fromS, seconds]), []);
  const clouds = useMemo(() => <Clouds about={about} />, [about]);
  const minutes = useMemo(
    () => <Minutes shown={shown} clock={clock} onMinute={(fromS) => setWished({ fromS })} />,
    [shown, clock],
  );
  const strip = useMemo(
    () => <StripView review={review} about={about} wished={wished} onSeen={onSeen} clock={clock} />,
    [review, about, wished, onSeen, clock],
  );
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
          ...(lane.key === "ecg"
            ? { shades: [{ startS: seen[0], endS: seen[0] + seen[1], colour: "act" as const }] }
            : {}),
        })),
      onMoment: (atS) =>
        setWished({ fromS: Math.min(Math.max(atS - AHEAD_S, 0), Math.max(session.length_s - seen[1] / 2, 0)) }),
      below: strip,
      besides: clouds,
      tab: {
        key: "own",
        words: "Minute by minute",
        body: minutes,
      },
    }),
    [seen, strip, clouds, minutes, session.length_s],
  );
  return <PlainSheet {...props} own={own} />;
}
