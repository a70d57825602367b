/** A colour as pixels and as a context have it. */
export interface Colour {
  readonly css: string;
  /** Red in the lowest byte, then green, blue and opacity, as the bytes of a picture lie on every machine in use. */
  readonly word: number;
}

/** @param hex `#RRGGBB` @param opacity 0 to 1 */
export function colourOf(hex: string, opacity = 1): Colour {
  const [red = 0, green = 0, blue = 0] = [1, 3, 5].map((i) => Number.parseInt(hex.slice(i, i + 2), 16));
  const byte = Math.round(opacity * 255);
  const word = ((byte << 24) | (blue << 16) | (green << 8) | red) >>> 0;
  return { css: `rgb(${red} ${green} ${blue} / ${byte / 255})`, word };
}

/** In CSS pixels. */
export interface Box {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** A picture into which boxes are filled. What comes later covers what is there, and nothing is filled outside. */
export class Pixels {
  readonly words: Uint32Array<ArrayBuffer>;
  readonly #width: number;
  readonly #ratio: number;
  readonly #left: number;
  readonly #right: number;
  readonly #top: number;
  readonly #bottom: number;

  /**
   * @param width in pixels of the device, as the height
   * @param ratio pixels of the device for one of CSS
   * @param within nothing is filled outside of it
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
    // Written out: most boxes are a few pixels wide, for which a call a row would take longer than the row.
    for (let row = Math.max(this.#top, Math.round(y * ratio)); row < last; row += 1) {
      const end = row * this.#width + to;
      for (let at = row * this.#width + from; at < end; at += 1) this.words[at] = word;
    }
  }
}

/** Target of boxes in plain colour. */
export interface Boxes {
  readonly fill: (colour: Colour, x: number, y: number, width: number, height: number) => void;
  /** Everything has been filled. */
  readonly done: () => void;
}

/**
 * Boxes on a sheet. A canvas takes a microsecond or more for each; where there are thousands they are written into a
 * picture, and that is put on it whole.
 * @param c of a sheet that is clear so far: a picture takes the place of what is there
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
