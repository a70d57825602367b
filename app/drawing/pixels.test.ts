import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { boxesOn, colourOf, Pixels } from './pixels';
import { real } from '~~/core/testing/realNumbers';

describe('colourOf', () => {
  it('has the bytes of a picture: red first, opacity last', () => {
    const { word, css } = colourOf('#123456', 0.6);
    expect([...new Uint8Array(Uint32Array.of(word).buffer)]).toEqual([0x12, 0x34, 0x56, 153]);
    expect(css).toBe('rgb(18 52 86 / 0.6)');
  });
});

describe('Pixels', () => {
  const [ONE, OTHER] = [colourOf('#0A0B0C'), colourOf('#FFFFFF', 0.5)];

  it('fills each box to the pixel of the device, the later over the earlier, and nothing outside', () => {
    const size = fc.integer({ min: 1, max: 30 });
    const place = real(-20, 40);
    const boxes = fc.array(fc.tuple(fc.boolean(), place, place, fc.nat(25), fc.nat(25)), { maxLength: 8 });
    const within = fc.record({ x: place, y: place, width: fc.nat(40), height: fc.nat(40) });
    fc.assert(
      fc.property(size, size, fc.constantFrom(1, 1.5, 2), within, boxes, (width, height, ratio, inside, filled) => {
        const pixels = new Pixels(width, height, ratio, inside);
        for (const [one, ...box] of filled) pixels.fill(one ? ONE : OTHER, ...box);
        const holds = (x: number, y: number, w: number, h: number, column: number, row: number): boolean =>
          column >= Math.round(x * ratio) &&
          column < Math.round((x + w) * ratio) &&
          row >= Math.round(y * ratio) &&
          row < Math.round((y + h) * ratio);
        for (let row = 0; row < height; row += 1)
          for (let column = 0; column < width; column += 1) {
            const at = [column, row] as const;
            const last = holds(inside.x, inside.y, inside.width, inside.height, ...at)
              ? filled.findLast(([, ...box]) => holds(...box, ...at))
              : undefined;
            const word = last ? (last[0] ? ONE : OTHER).word : 0;
            expect(pixels.words[row * width + column]).toBe(word);
          }
      }),
    );
  });
});

describe('boxesOn', () => {
  it('asks the canvas for few, and puts many on it as one picture', () => {
    const asked: string[] = [];
    const canvas = { width: 4, height: 2 };
    const c = new Proxy({} as CanvasRenderingContext2D, {
      get: (_, name) => {
        if (name === 'canvas') return canvas;
        return (...given: unknown[]) => {
          asked.push(String(name));
          if (name === 'putImageData')
            expect([...new Uint32Array((given[0] as ImageData).data.buffer)]).toEqual(
              [0, 1, 1, 0, 0, 0, 0, 0].map((n) => n * colourOf('#FF0000').word),
            );
          return { a: 1 };
        };
      },
      set: () => true,
    });
    const within = { x: 0, y: 0, width: 3, height: 2 };
    globalThis.ImageData ??= class {
      constructor(readonly data: Uint8ClampedArray) {}
    } as never;
    for (const many of [false, true]) {
      const boxes = boxesOn(c, within, many);
      boxes.fill(colourOf('#FF0000'), 1, 0, 5, 1);
      boxes.done();
    }
    expect(asked).toEqual(['save', 'beginPath', 'rect', 'clip', 'fillRect', 'restore', 'getTransform', 'putImageData']);
  });
});
