import { TOKENS } from './inks';

type Paint = (context: CanvasRenderingContext2D) => void;

interface Picture {
  readonly of: readonly unknown[];
  readonly width: number;
  readonly height: number;
  readonly sheet: HTMLCanvasElement;
}

/**
 * Images that are painted once for the same content and then copied, so that a sheet with thousands of notes scrolls
 * without drawing them.
 */
export function usePictures() {
  const known = new Map<string, Picture>();

  /** Copies an image to a height at the left edge. @param of its content, compared by identity: a change repaints it */
  function draw(
    c: CanvasRenderingContext2D,
    name: string,
    of: readonly unknown[],
    size: { readonly width: number; readonly height: number; readonly y: number },
    paint: Paint,
  ): void {
    const ratio = window.devicePixelRatio || 1;
    const [width, height] = [Math.round(size.width * ratio), Math.round(size.height * ratio)];
    const shows = [...of, TOKENS.paper];
    let picture = known.get(name);
    const same =
      picture?.width === width && picture.height === height && shows.every((one, i) => one === picture!.of[i]);
    if (!picture || !same) {
      const sheet = picture?.sheet ?? document.createElement('canvas');
      sheet.width = width;
      sheet.height = height;
      const context = sheet.getContext('2d')!;
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
      paint(context);
      picture = { of: shows, width, height, sheet };
      known.set(name, picture);
    }
    c.drawImage(picture.sheet, 0, size.y, size.width, size.height);
  }

  /** Drops images that are not among these. */
  function keepOnly(names: ReadonlySet<string>): void {
    for (const name of known.keys()) if (!names.has(name)) known.delete(name);
  }
  /** Drops all images, after fonts have been loaded. */
  const forget = (): void => known.clear();

  return { draw, keepOnly, forget };
}
