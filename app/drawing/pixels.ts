/** Colour as a pixel and as CSS. */
export interface Colour {
  readonly css: string;
  /** RGBA with red in the lowest byte, as image data lies on little-endian machines. */
  readonly word: number;
}

/** @param hex `#RRGGBB` @param opacity 0 to 1 */
export function colourOf(hex: string, opacity = 1): Colour {
  const [red = 0, green = 0, blue = 0] = [1, 3, 5].map((i) => Number.parseInt(hex.slice(i, i + 2), 16));
  const byte = Math.round(opacity * 255);
  const word = ((byte << 24) | (blue << 16) | (green << 8) | red) >>> 0;
  return { css: `rgb(${red} ${green} ${blue} / ${byte / 255})`, word };
}

/** Rectangle in CSS pixels. */
export interface Box {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** Image that boxes are filled into. Later boxes cover earlier ones, and nothing outside is filled. */
export class Pixels {
  readonly words: Uint32Array<ArrayBuffer>;
  readonly #width: number;
  readonly #ratio: number;
  readonly #left: number;
  readonly #right: number;
  readonly #top: number;
  readonly #bottom: number;

  /**
   * @param width in device pixels, as the height
   * @param ratio device pixels for one CSS pixel
   * @param within clip of all boxes
   */
  constructor(width: number, height: number, ratio: number, within: Box) {
    this.words = new Uint32Array(width * height);
    this.#width = width;
    this.#ratio = ratio;
    this.#left = Math.max(0, Math.round(within.x * ratio));
    this.#right = Math.min(width, Math.round((within.x + within.width) * ratio));
    this.#top = Math.max(0, Math.round(within.y * ratio));
    this.#bottom = Math.min(height, Math.round((within.y + within.height) * ratio));
  }

  fill({ word }: Colour, x: number, y: number, width: number, height: number): void {
    const ratio = this.#ratio;
    const from = Math.max(this.#left, Math.round(x * ratio));
    const to = Math.min(this.#right, Math.round((x + width) * ratio));
    const last = Math.min(this.#bottom, Math.round((y + height) * ratio));
    // Written out, as a call for each row would take longer than the row.
    for (let row = Math.max(this.#top, Math.round(y * ratio)); row < last; row += 1) {
      const end = row * this.#width + to;
      for (let at = row * this.#width + from; at < end; at += 1) this.words[at] = word;
    }
  }
}

/** Receiver of boxes in plain colour. */
export interface Boxes {
  readonly fill: (colour: Colour, x: number, y: number, width: number, height: number) => void;
  /** Ends the drawing. */
  readonly done: () => void;
}

/**
 * Boxes on a sheet. A canvas takes a microsecond or more for each, so thousands are written into an image that is then
 * drawn at once.
 * @param c context of a clear sheet, as the image replaces its content
 */
export function boxesOn(c: CanvasRenderingContext2D, within: Box, many: boolean): Boxes {
  if (many) {
    const { width, height } = c.canvas;
    const pixels = new Pixels(width, height, c.getTransform().a, within);
    return {
      fill: (...box) => pixels.fill(...box),
      done: () => c.putImageData(new ImageData(new Uint8ClampedArray(pixels.words.buffer), width, height), 0, 0),
    };
  }
  c.save();
  c.beginPath();
  c.rect(within.x, within.y, within.width, within.height);
  c.clip();
  return {
    fill({ css }, ...box) {
      c.fillStyle = css;
      c.fillRect(...box);
    },
    done: () => c.restore(),
  };
}
