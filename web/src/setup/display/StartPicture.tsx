import { useEffect, useRef, useState } from "react";
import type { Schemas } from "@/api/client";
import { Button } from "@/ui/basics";
import { Segmented } from "@/ui/segmented";
import { MakersPicture } from "./MakersPicture";
import { base64Of, inGreys, luminance } from "./pixels";
import { Screen } from "./Screen";
import { useDisplay, useStartPicture } from "./useDisplay";

interface Crop {
  /** Middle and height of what is taken, in pixels of the photo. */
  x: number;
  y: number;
  high: number;
}

const SHOWN_PX = 128;
const CLOSER = 0.92;
const LEAST_PX = 16;
const LOOKS = [
  ["flat", "flat"],
  ["dotted", "dotted"],
] as const;

/** What the display makes of the chosen part of a photo. */
function converted(
  photo: ImageBitmap,
  crop: Crop,
  display: Schemas["Drawn"],
  contrast: number,
  dotted: boolean,
): Schemas["Drawn"] {
  const { width, height, greys } = display;
  const canvas = new OffscreenCanvas(width, height);
  const context = canvas.getContext("2d");
  if (!context) throw new Error("no canvas");
  context.fillStyle = "white";
  context.fillRect(0, 0, width, height);
  context.imageSmoothingQuality = "high";
  const wide = (crop.high * width) / height;
  context.drawImage(photo, crop.x - wide / 2, crop.y - crop.high / 2, wide, crop.high, 0, 0, width, height);
  const light = luminance(context.getImageData(0, 0, width, height).data);
  return { width, height, greys, pixels: base64Of(inGreys(light, width, greys, contrast, dotted)) };
}

/** The picture shown at switching on: the part of a photo that is taken, and what the poor display makes of it. */
export function StartPicture({
  recorder,
  picture,
  onPicture,
}: {
  recorder: Schemas["Recorder"];
  picture: Schemas["Drawn"] | null;
  onPicture: (picture: Schemas["Drawn"] | null) => void;
}) {
  const onIt = useStartPicture(recorder);
  const round = useDisplay(recorder).data?.round ?? false;
  /** The size of the display is that of the picture on it. */
  const size = onIt.data;
  const [photo, setPhoto] = useState<{ name: string; bitmap: ImageBitmap } | null>(null);
  const [crop, setCrop] = useState<Crop>({ x: 0, y: 0, high: 1 });
  const [contrast, setContrast] = useState(0);
  const [look, setLook] = useState<"flat" | "dotted">("dotted");
  const [wrong, setWrong] = useState("");
  const source = useRef<HTMLCanvasElement>(null);
  const chosen = useRef<HTMLInputElement>(null);
  const give = useRef(onPicture);
  give.current = onPicture;
  const scale = photo ? SHOWN_PX / photo.bitmap.height : 1;

  useEffect(() => {
    if (photo && size) give.current(converted(photo.bitmap, crop, size, contrast, look === "dotted"));
  }, [photo, crop, contrast, look, size]);
  useEffect(() => {
    const canvas = source.current;
    const context = canvas?.getContext("2d");
    if (!canvas || !context || !photo || !size) return;
    canvas.width = Math.round(photo.bitmap.width * scale);
    canvas.height = SHOWN_PX;
    context.drawImage(photo.bitmap, 0, 0, canvas.width, canvas.height);
    context.strokeStyle = "white";
    context.lineWidth = 2;
    context.beginPath();
    const [x, y, high] = [crop.x * scale, crop.y * scale, crop.high * scale];
    const wide = (high * size.width) / size.height;
    if (round) context.ellipse(x, y, wide / 2, high / 2, 0, 0, 2 * Math.PI);
    else context.rect(x - wide / 2, y - high / 2, wide, high);
    context.stroke();
  }, [photo, crop, size, round, scale]);

  if (!size || !recorder.can.includes("picture")) return null;
  const take = async (file: File | undefined) => {
    if (!file) return;
    try {
      const bitmap = await createImageBitmap(file);
      const high = Math.min(bitmap.height, (bitmap.width * size.height) / size.width);
      setPhoto({ name: file.name, bitmap });
      setCrop({ x: bitmap.width / 2, y: bitmap.height / 2, high });
      setWrong("");
    } catch {
      setWrong(`${file.name} is no picture that can be read. The one on the recorder stays.`);
    }
  };
  const move = (dx: number, dy: number, times = 1) =>
    setCrop(({ x, y, high }) => ({ x: x + dx, y: y + dy, high: Math.max(high * times, LEAST_PX) }));
  const forget = () => {
    setPhoto(null);
    onPicture(null);
  };
  return (
    <div className="flex flex-wrap items-start gap-x-4 gap-y-2">
      <input
        ref={chosen}
        type="file"
        accept="image/*"
        className="sr-only"
        aria-label="Picture at switching on"
        onChange={(e) => take(e.target.files?.[0])}
      />
      {photo && (
        <span>
          <canvas
            ref={source}
            tabIndex={0}
            aria-label="part of the photo that is taken: arrow keys move it, plus and minus change its size"
            className="block max-w-full cursor-move touch-none rounded"
            style={{ height: SHOWN_PX }}
            onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
            onPointerMove={(e) => {
              if (e.currentTarget.hasPointerCapture(e.pointerId)) move(e.movementX / scale, e.movementY / scale);
            }}
            onWheel={(e) => move(0, 0, e.deltaY < 0 ? CLOSER : 1 / CLOSER)}
            onKeyDown={(e) => {
              const step = crop.high / 40;
              const by: Record<string, [number, number, number]> = {
                ArrowLeft: [-step, 0, 1],
                ArrowRight: [step, 0, 1],
                ArrowUp: [0, -step, 1],
                ArrowDown: [0, step, 1],
                "+": [0, 0, CLOSER],
                "-": [0, 0, 1 / CLOSER],
              };
              const found = by[e.key];
              if (!found) return;
              e.preventDefault();
              move(...found);
            }}
          />
          <span className="text-[12.5px] text-soft">{photo.name.slice(0, 28)}: drag, turn the wheel</span>
        </span>
      )}
      <span>
        <Screen
          drawn={picture ?? onIt.data}
          label={picture ? `the picture as ${recorder.token} will show it` : `the picture on ${recorder.token}`}
          times={1}
          round={round}
        />
        <span className="block text-[12.5px] text-soft">
          {size.width} × {size.height}, {size.greys} greys
        </span>
      </span>
      <span className="grid gap-1.5">
        <span className="flex items-center gap-2">
          <Button size="small" onClick={() => chosen.current?.click()}>
            {photo ? "another photo" : "choose a photo"}
          </Button>
          {recorder.can.includes("maker-picture") && <MakersPicture recorder={recorder} onBack={forget} />}
          {picture && (
            <button
              type="button"
              className="font-medium font-narrow text-[12.5px] text-action hover:underline"
              title="Take this back"
              onClick={forget}
            >
              not yet written: keep the one on it
            </button>
          )}
        </span>
        {photo && (
          <>
            <label className="flex items-center gap-2 text-[13px]">
              contrast
              <input
                type="range"
                min={-100}
                max={100}
                step={5}
                value={contrast}
                onChange={(e) => setContrast(Number(e.target.value))}
              />
              {contrast > 0 ? `+${contrast}` : contrast}
            </label>
            <span>
              <Segmented label="Look" value={look} choices={LOOKS} onChange={setLook} />
            </span>
          </>
        )}
        {wrong && (
          <span role="alert" className="text-above">
            {wrong}
          </span>
        )}
      </span>
    </div>
  );
}
