import type { WallClock } from "@/ui/format";
import type { ReviewSheetProps } from "./contract";
import { StretchDialog } from "./StretchDialog";

/** Asks what a span that was chosen on a sheet is, and marks it. */
export function MarkStretch({
  review,
  kind,
  actions,
  supposed,
  clock,
  moment,
  span,
  onClose,
}: Pick<ReviewSheetProps, "review" | "kind" | "actions" | "supposed"> & {
  clock: WallClock;
  moment: WallClock;
  span: [number, number];
  onClose: () => void;
}) {
  return (
    <StretchDialog
      words={kind.stretches}
      supposed={supposed}
      lead={review.reviewed.key_figures[0]}
      clock={clock}
      moment={moment}
      lengthS={review.session.length_s}
      startS={span[0]}
      endS={span[1]}
      onClose={onClose}
      onSave={(what, a, b, label) => {
        actions.mark(what, a, b, label);
        onClose();
      }}
    />
  );
}
