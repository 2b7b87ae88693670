import { Warn } from "@/ui/basics";

/** Checks of the recorder that were due when this was recorded; they are printed, too. */
export function Unchecked({ words }: { words: string[] }) {
  if (words.length === 0) return null;
  return (
    <div className="mb-3">
      <Warn>
        {words.map((each) => (
          <span key={each} className="block">
            {each}
          </span>
        ))}
        <span className="block text-soft">So it was when this was recorded, and so it is printed.</span>
      </Warn>
    </div>
  );
}
