import { useNavigate } from "react-router";
import { type Assessed, stretchesOf } from "@/sheet/assessed";
import type { SeveralProps } from "@/sheet/contract";
import { offsetChanges, wallMoment } from "@/ui/format";
import { episodesOf, notesOf } from "./episodes";
import { NightPicture } from "./NightPicture";

/** Nights one under another, with and without a splint: each from its own start on, the hours of the same length. */
export default function Nights({ all, names }: SeveralProps) {
  const longest = Math.max(...all.map((each) => each.session.length_s));
  return (
    <section aria-label="Nights one under another" className="mb-3 rounded-lg border border-line bg-panel px-3 py-2">
      {all.map((review, i) => (
        <Night key={review.session.id} review={review} name={names[i] ?? ""} longest={longest} />
      ))}
    </section>
  );
}

function Night({ review, name, longest }: { review: Assessed; name: string; longest: number }) {
  const navigate = useNavigate();
  const { session, reviewed } = review;
  const own = stretchesOf(review, "asleep");
  const asleep = (own.length > 0 ? own : (reviewed.stretches ?? [])).map((s) => ({ startS: s.start_s, endS: s.end_s }));
  const splint = session.tags.splint;
  return (
    <div className="border-hair border-t py-1.5 first:border-t-0">
      <p className="flex flex-wrap items-baseline gap-x-3 text-[13px]">
        <b className="font-medium">{name}</b>
        {splint && <span className="text-soft">splint: {splint}</span>}
      </p>
      <NightPicture
        shown={reviewed}
        episodes={episodesOf(review, reviewed)}
        asleep={asleep}
        leftOut={stretchesOf(review, "left out")}
        notes={notesOf(review)}
        lengthS={longest}
        clock={wallMoment(session, offsetChanges(review.events))}
        onEpisode={() => navigate(`/review/${session.id}`)}
      />
    </div>
  );
}
