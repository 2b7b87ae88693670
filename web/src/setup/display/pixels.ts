/** Pictures for poor displays: bytes in base64, and photos made into few greys. */

export const bytesOf = (base64: string): Uint8Array => Uint8Array.from(atob(base64), (c) => c.charCodeAt(0));

export function base64Of(bytes: Uint8Array): string {
  let text = "";
  for (const byte of bytes) text += String.fromCharCode(byte);
  return btoa(text);
}

/** Luminance of RGBA pixels (ITU-R BT.709), 0 to 1; what is transparent is white. */
export function luminance(rgba: Uint8ClampedArray): Float32Array {
  const found = new Float32Array(rgba.length / 4);
  for (let i = 0; i < found.length; i++) {
    const [r = 0, g = 0, b = 0, a = 0] = rgba.subarray(4 * i, 4 * i + 4);
    found[i] = ((0.2126 * r + 0.7152 * g + 0.0722 * b) / 255) * (a / 255) + (1 - a / 255);
  }
  return found;
}

/**
 * Luminance (0 to 1, row by row) as greys 0 to `greys` - 1. `contrast` from -100 to 100 about the middle; `dotted` spreads what
 * each pixel is off to its neighbours (Floyd and Steinberg, 1976), else each takes the nearest grey.
 */
export function inGreys(
  light: Float32Array,
  width: number,
  greys: number,
  contrast: number,
  dotted: boolean,
): Uint8Array {
  const steps = greys - 1;
  const factor = contrast >= 0 ? 1 + contrast / 33 : 1 + contrast / 100;
  const left = light.map((value) => Math.min(Math.max((value - 0.5) * factor + 0.5, 0), 1) * steps);
  const made = new Uint8Array(light.length);
  const height = light.length / width;
  const spread = (x: number, y: number, error: number) => {
    if (x >= 0 && x < width && y < height) left[y * width + x] = (left[y * width + x] ?? 0) + error;
  };
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const wanted = left[y * width + x] ?? 0;
      const got = Math.min(Math.max(Math.round(wanted), 0), steps);
      made[y * width + x] = got;
      if (!dotted) continue;
      const error = wanted - got;
      spread(x + 1, y, (error * 7) / 16);
      spread(x - 1, y + 1, (error * 3) / 16);
      spread(x, y + 1, (error * 5) / 16);
      spread(x + 1, y + 1, error / 16);
    }
  return made;
}
