import type { Schemas } from "@/api/client";
import { Button } from "@/ui/basics";
import type { Tile } from "./feed";

/** Whom to call for somebody, as their team, else the house, says. */
export function callOf(calls: Schemas["WallCall"][], team: string): { call: string; worse: string } {
  const [own, all] = [calls.find((c) => c.team === team), calls.find((c) => c.team === "")];
  return { call: own?.call || all?.call || "", worse: own?.worse || all?.worse || "" };
}

/** One call at a time, always in this corner, in words to say; answering stops the sound, not the colour. */
export function CallBox({
  tile,
  more,
  calls,
  onAnswer,
}: {
  tile: Tile;
  /** Others whose alarm waits behind this one. */
  more: Tile[];
  calls: Schemas["WallCall"][];
  /** None on a screen that only shows. */
  onAnswer?: ((tile: Tile) => void) | undefined;
}) {
  const { call } = callOf(calls, tile.team);
  return (
    <section
      aria-label={`Call now, for ${tile.person}`}
      role="alert"
      className="grid gap-1 rounded-lg bg-[#9c2d19] px-3.5 py-3 text-white"
    >
      <p>Call now, for {tile.person}</p>
      <p className="font-narrow font-semibold text-[27px] leading-tight">{call || tile.person}</p>
      {!call && <p className="text-[13px]">Nobody is named to be called: Settings, The wall.</p>}
      <p>
        {tile.token}, {tile.words || "alarm"}
        {tile.place && `, ${tile.place}`}
      </p>
      {onAnswer && <Button onClick={() => onAnswer(tile)}>I have called, sound off</Button>}
      {more.length > 0 && <p className="text-[13px]">then {more.map((t) => t.person).join(", ")}</p>}
    </section>
  );
}
