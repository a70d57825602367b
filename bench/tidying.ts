import { change } from '../core/song/changes';
import type { Note } from '../core/performance/notes';
import type { Edit } from '../core/takes/edits';
import { launch, open } from '../harness/browser';
import { addTakenSong } from '../harness/played';
import { post, readSong, startServer } from '../harness/server';
import { frameTimes } from './chart';
import { quantile, under, type Figure } from './figure';
import { heardAndDrawn } from './heard';
import { timeToOpen } from './opening';
import { sized } from './sizes';

const BARS = 200;
const NOTES = sized(10_000, 1200);
const DRAGGED = 1000;
const EDITS = sized(5000, 100);
const FRAME_MS = 17;
const ROW_BYTES = 20_000;
const CHANGE_MS = 100;
const OPENS_TIMES = 1.2;
const TURNS = sized(5, 1);

const notes = Array.from({ length: NOTES }, (_, i): Note => {
  const start = Math.floor(i / 5) * ((BARS * 3840) / (NOTES / 5));
  const key = 40 + ((i * 7) % 40) + (i % 5);
  return { id: `n${i}`, key, velocity: 40 + ((i * 13) % 80), release: 64, start, end: start + 300 };
});

const zooming = `{
  const host = document.querySelector('.roll .host');
  let i = 0;
  const turn = () => {
    const box = host.getBoundingClientRect();
    const deltaY = (i++ % 80) < 40 ? -24 : 24;
    const at = { clientX: box.left + box.width / 2, clientY: box.top + 80, bubbles: true, cancelable: true };
    host.dispatchEvent(new WheelEvent('wheel', { ...at, deltaY, ctrlKey: true }));
    window.zooms = requestAnimationFrame(turn);
  };
  window.zooms = requestAnimationFrame(turn);
}`;

/** Figures of the roll with ten thousand notes: frames, a change of all, and opening after thousands of edits. */
export async function tidyFigures(): Promise<Figure[]> {
  const server = await startServer();
  const browser = await launch();
  try {
    const id = await addTakenSong(server.address, BARS, 120, [{ notes, controls: [] }]);
    const { page } = await open(browser, server.address, `/songs/${id}/tidy`);
    const roll = page.getByRole('application', { name: /^Piano roll/ });
    await roll.waitFor();
    await page.getByText('Ready', { exact: true }).waitFor();
    await page.getByRole('button', { name: 'Zoom to selection' }).click();
    await page.evaluate(zooming);
    const zoomed = await frameTimes(page);
    await page.evaluate('cancelAnimationFrame(window.zooms)');
    await page.getByRole('button', { name: 'Zoom to selection' }).click();

    // A selection over a tenth of the song, whose notes are then dragged.
    const box = (await roll.boundingBox())!;
    const along = (share: number) => box.x + 58 + (box.width - 66) * share;
    await page.mouse.move(along(0.4), box.y + 30);
    await page.mouse.down();
    await page.mouse.move(along(0.5), box.y + box.height - 90, { steps: 3 });
    await page.mouse.up();
    await page.getByRole('tab', { name: 'By hand' }).click();
    const chosen = Number(/(\d+) notes selected/.exec(await page.getByText(/notes selected/).innerText())![1]);
    if (chosen < DRAGGED * 0.9) throw new Error(`Only ${chosen} notes were chosen.`);
    await page.keyboard.press('Escape');
    const dragging = page.evaluate(`(async () => {
      const host = document.querySelector('.roll .host');
      const box = host.getBoundingClientRect();
      const fire = (type, clientX, clientY) =>
        host.dispatchEvent(new PointerEvent(type, { clientX, clientY, pointerId: 1, bubbles: true, button: 0 }));
      host.setPointerCapture = () => {};
      let [x, y] = [0, 0];
      // Place of a note.
      outer: for (x = box.left + box.width * 0.42; x < box.left + box.width * 0.48; x += 2)
        for (y = box.top + 40; y < box.bottom - 110; y += 2) {
          fire('pointermove', x, y);
          if (host.style.cursor === 'grab') break outer;
        }
      fire('pointerdown', x, y);
      const until = performance.now() + 6000;
      for (let i = 0; performance.now() < until; i += 1) {
        fire('pointermove', x + 60 * Math.sin(i / 9), y + 20 * Math.cos(i / 7));
        await new Promise((done) => requestAnimationFrame(done));
      }
      fire('pointerup', x, y);
    })()`);
    const dragged = await frameTimes(page);
    await dragging;
    await roll.focus();
    await page.keyboard.press(' ');
    await page.getByText('Playing', { exact: true }).waitFor();
    const playing = await frameTimes(page);
    await roll.focus();
    await page.keyboard.press('Control+a');
    const arrows = Array.from({ length: TURNS }, (_, i) => (i % 2 ? 'ArrowDown' : 'ArrowUp'));
    const changed = await heardAndDrawn(
      page,
      arrows.map((key) => ({ on: '.roll', key, ctrlKey: true })),
    );
    await page.keyboard.press(' ');
    await page.getByText('All kept').waitFor();
    const row = JSON.stringify((await readSong(server.address, id)).stacks.done.at(-1)).length;
    // Frames of an empty page in the same run are the floor of the limit.
    await page.goto('about:blank');
    const limit = Math.max(FRAME_MS, Math.round(10 * (quantile(await frameTimes(page), 0.95) + 0.5)) / 10);

    const plain = await addTakenSong(server.address, BARS, 120, [{ notes, controls: [] }]);
    const full = await addTakenSong(server.address, BARS, 120, [{ notes, controls: [] }]);
    const opened = await readSong(server.address, full);
    const take = opened.document.parts[0]!.takes[0]!;
    const edits = Array.from({ length: EDITS }, (_, i): Edit => {
      const own = { [take.layers[0]!]: String((i * 7) % NOTES) };
      return i % 2 ? { op: 'move', notes: own, by: 10, keys: 0 } : { op: 'touch', notes: own, way: { by: 3 } };
    });
    let { document } = opened;
    for (let base = opened.revision; base - opened.revision < EDITS / 50; base += 1) {
      const from = (base - opened.revision) * 50;
      const takes = [{ take: take.id, edits: edits.slice(from, from + 50) }];
      const made = change(document, { type: 'edit takes', part: 'piano', what: 'a change', takes });
      document = made.document;
      const body = { base, after: null, id: `e${base}`, kind: 'do', name: 'by hand: a change' };
      const { patches, inverse } = made;
      await post(server.address, `/api/songs/${full}/changes`, { ...body, patches, inverse });
    }
    const times: Record<'plain' | 'full', number[]> = { plain: [], full: [] };
    for (let i = 0; i < TURNS; i += 1)
      for (const [which, song] of [
        ['plain', plain],
        ['full', full],
      ] as const) {
        const desk = await open(browser, server.address);
        times[which].push(await timeToOpen(desk.page, song, ' notes of Piano'));
        await desk.context.close();
      }
    const opens = quantile(times.full, 0.5) / quantile(times.plain, 0.5);
    const name = `${NOTES} notes on the roll: frame`;
    return [
      under('tidy', `${name} while it is zoomed, 95th percentile`, quantile(zoomed, 0.95), 'ms', limit),
      under(
        'tidy',
        `${name} while ${chosen} of them are dragged, 95th percentile`,
        quantile(dragged, 0.95),
        'ms',
        limit,
      ),
      under('tidy', `${name} while it plays, 95th percentile`, quantile(playing, 0.95), 'ms', limit),
      under('tidy', `a change to ${NOTES} notes, heard and drawn, middle`, quantile(changed, 0.5), 'ms', CHANGE_MS),
      under('tidy', 'its row in the history', row, 'bytes', ROW_BYTES),
      under('tidy', `opening with ${EDITS} changes by hand, against without`, opens, 'times', OPENS_TIMES),
    ];
  } finally {
    await browser.close();
    await server.end();
  }
}
