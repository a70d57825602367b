import { TOKENS } from './inks';

type Paint = (context: CanvasRenderingContext2D) => void;

interface Picture {
  readonly of: readonly unknown[];
  readonly width: number;
  readonly height: number;
  readonly sheet: HTMLCanvasElement;
}

/**
 * Pictures that are painted once for as long as what they show stays the same, and then only laid down: a sheet with
 * thousands of notes scrolls by laying its pieces, not by drawing each note in each frame.
 */
export function usePictures() {
  const known = new Map<string, Picture>();

  /**
   * Lays a picture down at a height, at the left edge.
   * @param of what it shows, compared by identity: it is painted anew when one of them is another
   */
  function lay(
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

  /** Forgets the pictures that are not among these. */
  function keepOnly(names: ReadonlySet<string>): void {
    for (const name of known.keys()) if (!names.has(name)) known.delete(name);
  }
  /** Clearing of pictures that were painted with other fonts than there are now. */
  const forget = (): void => known.clear();

  return { lay, keepOnly, forget };
}
