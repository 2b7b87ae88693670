import { useState } from "react";
import type { Schemas } from "@/api/client";
import { Button, Field, inputLook } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { day } from "@/ui/format";
import { type Image, useFirmwareDeeds } from "./useFirmware";

type FirmwareKey = Schemas["FirmwareKey"];
const size = (bytes: number) => (bytes > 1e6 ? `${(bytes / 1e6).toFixed(1)} MB` : `${Math.ceil(bytes / 1e3)} kB`);

function TrustDialog({ onClose }: { onClose: () => void }) {
  const { trust } = useFirmwareDeeds();
  const [name, setName] = useState("");
  const [words, setWords] = useState("");
  return (
    <Dialog title="Trust a maker's key" open onClose={onClose}>
      <form
        className="grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          trust.mutate({ name, words }, { onSuccess: onClose });
        }}
      >
        <p className="text-soft">
          Whoever has the other half of this key can make programs that are added here. Compare its number with what the
          maker tells you by another way.
        </p>
        <Field label="Whose it is">
          <input className={inputLook} value={name} maxLength={80} onChange={(e) => setName(e.target.value)} />
        </Field>
        <Field label="Public key, as in the maker's file">
          <textarea
            className={`${inputLook} h-28 font-mono text-[12.5px]`}
            placeholder="-----BEGIN PUBLIC KEY-----"
            value={words}
            maxLength={2000}
            onChange={(e) => setWords(e.target.value)}
          />
        </Field>
        <div>
          <Button look="primary" type="submit" disabled={!name.trim() || !words.trim() || trust.isPending}>
            Trust it
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

/** What there is to bring onto recorders, and whose signatures are trusted. */
export function Catalogue({ images, keys }: { images: Image[]; keys: FirmwareKey[] }) {
  const { remove, distrust } = useFirmwareDeeds();
  const [trusting, setTrusting] = useState(false);
  const names = new Map(keys.map((key) => [key.key_id, key.name]));
  return (
    <aside aria-label="Catalogue" className="overflow-auto border-line border-l bg-panel px-4 py-3.5 text-[13px]">
      <h2 className="pb-1 text-[15px]">Catalogue</h2>
      <ul>
        {images.map((image) => (
          <li key={image.id} className="border-hair border-t py-1.5">
            <span className="flex items-baseline gap-2">
              <b className="font-semibold">{image.version}</b>
              <span className="min-w-0 flex-1 truncate">for {image.models.join(", ")}</span>
              <button
                type="button"
                className="min-h-6 text-soft hover:underline"
                aria-label={`Take ${image.version} for ${image.models.join(", ")} out`}
                onClick={() => remove.mutate(image)}
              >
                take out
              </button>
            </span>
            {image.notes && <span className="block">{image.notes}</span>}
            <span className="block truncate text-soft" title={`SHA-256 ${image.sha256}`}>
              {size(image.size)}, added {day(image.made_at).replace(/^\w+,? /, "")},{" "}
              {names.get(image.key_id) ?? "key not trusted any more"}
            </span>
          </li>
        ))}
        {images.length === 0 && <li className="text-soft">Nothing yet. Add the maker's file.</li>}
      </ul>
      <div className="flex items-baseline gap-2 pt-4 pb-1">
        <h2 className="flex-1 text-[15px]">Trusted makers</h2>
        <button type="button" className="min-h-6 text-act hover:underline" onClick={() => setTrusting(true)}>
          Trust a key
        </button>
      </div>
      <ul>
        {keys.map((key) => (
          <li key={key.id} className="flex items-baseline gap-2 border-hair border-t py-1">
            <span className="min-w-0 flex-1">
              <span className="block truncate">{key.name}</span>
              <span className="block truncate text-soft">key {key.key_id}</span>
            </span>
            <button
              type="button"
              className="min-h-6 text-soft hover:underline"
              aria-label={`Trust ${key.name} no longer`}
              onClick={() => distrust.mutate(key.id)}
            >
              no longer
            </button>
          </li>
        ))}
        {keys.length === 0 && <li className="text-soft">Nobody: nothing can be added yet.</li>}
      </ul>
      {trusting && <TrustDialog onClose={() => setTrusting(false)} />}
    </aside>
  );
}
