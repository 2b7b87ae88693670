import { useState } from "react";
import { Button } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";

/** The width of a bank card (ISO/IEC 7810, ID-1), which is at hand where no ruler is. */
const CARD_MM = 85.6;

/** A bar as long as a bank card, drawn out until it is: from then on a millimetre on this screen is one. */
export function Ruler({
  pxPerMm,
  isMeasured,
  onKeep,
  onClose,
}: {
  pxPerMm: number;
  isMeasured: boolean;
  onKeep: (pxPerMm: number | null) => void;
  onClose: () => void;
}) {
  const [wide, setWide] = useState(Math.round(pxPerMm * CARD_MM));
  const done = (kept: number | null) => {
    onKeep(kept);
    onClose();
  };
  return (
    <Dialog title="Set the scale of this screen" open onClose={onClose}>
      <p className="pb-2 text-[13.5px]">
        Hold a bank card to the bar, or a ruler (85.6 mm), and draw the bar out until it is just as long. It holds for
        this browser on this screen.
      </p>
      <div className="h-9 rounded-sm bg-act" style={{ width: wide }} aria-hidden="true" />
      <input
        type="range"
        className="my-3 w-full accent-(--act)"
        min={180}
        max={560}
        value={wide}
        aria-label="Length of the bar"
        aria-valuetext={`${wide} pixels`}
        onChange={(event) => setWide(Number(event.target.value))}
      />
      <p className="flex flex-wrap gap-2">
        <Button look="primary" onClick={() => done(wide / CARD_MM)}>
          It is as long as the card
        </Button>
        {isMeasured && <Button onClick={() => done(null)}>Forget it</Button>}
      </p>
    </Dialog>
  );
}
