import { useState } from "react";

const KEPT = "kumpel.px-per-mm";
/** CSS says that an inch has 96 pixels; what a screen makes of it, only a ruler tells. */
const NOMINAL = 96 / 25.4;

/** How many pixels of this screen a millimetre has, and whether somebody has measured it. */
export function useScreenScale() {
  const [measured, setMeasured] = useState(() => Number(localStorage.getItem(KEPT)) || null);
  const keep = (pxPerMm: number | null) => {
    if (pxPerMm === null) localStorage.removeItem(KEPT);
    else localStorage.setItem(KEPT, String(pxPerMm));
    setMeasured(pxPerMm);
  };
  return { pxPerMm: measured ?? NOMINAL, isMeasured: measured !== null, keep };
}
