import { describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { footplate, open } from '../harness/browser';
import { steadyBeats, wavOfBeats } from '../harness/files';
import { addSong, readSong, until } from '../harness/server';
import { trial } from '../harness/trial';
import type { OpenedSong } from '../harness/types';

const on = trial();

const kept = <T>(id: string, what: (song: OpenedSong) => T | false | undefined) =>
  until(async () => what(await readSong(on.server.address, id)));
async function tempoPage(id: string) {
  const opened = await open(on.browser, on.server.address, `/songs/${id}/set-up`);
  await opened.page.getByRole('tab', { name: 'Tempo and meter' }).click();
  const chart = opened.page.getByRole('application', { name: /Tempo over the chart/ });
  await chart.waitFor();
  // It is drawn once its card has a size.
  await opened.page.waitForFunction(() => (document.querySelector('.tempo canvas') as HTMLCanvasElement).width > 320);
  return { ...opened, chart, box: (await chart.boundingBox())! };
}
const drag = async (page: Page, from: [number, number], by: [number, number]) => {
  await page.mouse.move(...from);
  await page.mouse.down();
  await page.mouse.move(from[0] + by[0], from[1] + by[1], { steps: 5 });
  await page.mouse.up();
};

describe('tempo and meter', () => {
  it('are drawn over the chart and dragged there, and typed beside it', async () => {
    const id = await addSong(on.server.address, { bars: 16, tempo: [{ tick: 0, bpm: 100 }] });
    const { page, context, box } = await tempoPage(id);
    // The chart's first row: bars begin 92 px in, and the one tempo lies in the middle of the row.
    const cell = Math.floor((box.width - 2 - 92 - 12) / 8);
    const first: [number, number] = [box.x + 1 + 92, box.y + 1 + 16 + 31];
    await drag(page, first, [0, -15]);
    const faster = await kept(id, (s) => s.document.tempo[0]!.bpm > 102 && s.document.tempo[0]!.bpm);
    expect(faster % 0.5).toBe(0);
    // A double click puts another on the third beat of bar 3.
    await page.mouse.dblclick(first[0] + 2 * cell + cell / 2, first[1]);
    await kept(id, (s) => s.document.tempo.some((t) => t.tick === 2 * 3840 + 1920 && t.bpm === faster));
    await page.getByLabel('Tempo from 3·3').fill('60');
    await page.keyboard.press('Tab');
    await page.getByRole('button', { name: 'stays' }).first().click();
    const { document } = await kept(
      id,
      (s) => s.document.tempo[0]!.ramp === 'linear' && s.document.tempo[1]!.bpm === 60 && s,
    );
    expect(document.tempo).toHaveLength(2);
    await page.getByLabel('Take the tempo at 3·3 out').click();
    await kept(id, (s) => s.document.tempo.length === 1);
    for (let i = 0; i < 4; i += 1) await page.keyboard.press('u');
    await kept(id, (s) => s.document.tempo.length === 1 && s.document.tempo[0]!.bpm === faster);
    await context.close();
  });

  it('are tapped, and a missed tap does no harm', async () => {
    const id = await addSong(on.server.address, { bars: 8 });
    const { page, context } = await tempoPage(id);
    await page.evaluate(`(async () => {
      const button = [...document.querySelectorAll('button')].find((b) => b.textContent.trim() === 'Tap');
      for (let i = 0; i < 9; i += 1) {
        if (i === 4) continue;
        const event = new PointerEvent('pointerdown', { bubbles: true });
        Object.defineProperty(event, 'timeStamp', { value: 1000 + i * 480 });
        button.dispatchEvent(event);
      }
    })()`);
    await page.getByText('8 taps').waitFor();
    await page.getByRole('button', { name: 'For the whole song’s start' }).click();
    expect((await kept(id, (s) => s.document.tempo[0]!.bpm !== 100 && s)).document.tempo[0]!.bpm).toBeCloseTo(125, 1);
    await context.close();
  });

  it('change within a song, and begin with a pick-up', async () => {
    const id = await addSong(on.server.address, {
      bars: 8,
      tempo: [
        { tick: 0, bpm: 100 },
        { tick: 3840, bpm: 80 },
      ],
    });
    const { page, context } = await tempoPage(id);
    await page.getByLabel('Bar of a new meter').fill('5');
    await page.getByLabel('New meter', { exact: true }).fill('7/8');
    await page.getByRole('button', { name: 'Add', exact: true }).click();
    await kept(id, (s) => s.document.meter.length === 2);
    await page.getByRole('button', { name: '1 beat', exact: true }).click();
    const { document } = await kept(id, (s) => s.document.meter.length === 3 && s);
    expect(document.meter).toEqual([
      { bar: 1, beats: 1, unit: 4 },
      { bar: 2, beats: 4, unit: 4 },
      { bar: 6, beats: 7, unit: 8 },
    ]);
    expect(document.tempo.map((t) => t.tick)).toEqual([0, 4800]);
    expect(document.bars).toBe(9);
    await page.getByRole('button', { name: 'None', exact: true }).click();
    const without = await kept(id, (s) => s.document.meter.length === 2 && s);
    expect(without.document.tempo.map((t) => t.tick)).toEqual([0, 3840]);
    await context.close();
  });
});

describe('a backing', () => {
  it('of any rate, mono or stereo, is placed by typing, by dragging, and by saying where bar 1 is', async () => {
    const id = await addSong(on.server.address, { bars: 8, tempo: [{ tick: 0, bpm: 120 }] });
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/set-up`);
    await page
      .locator('.backings input[type=file]')
      .setInputFiles([
        { ...wavOfBeats('Mono.wav', steadyBeats(120, 16), 9, { rate: 22_050, channels: 1 }) },
        { ...wavOfBeats('High.wav', steadyBeats(120, 16), 9, { rate: 96_000 }) },
      ]);
    const { document } = await kept(id, (s) => s.document.backings.length === 2 && s);
    expect(document.backings.map((b) => Math.round(b.length * 100) / 100)).toEqual([9, 9]);
    const offset = () => kept(id, (s) => ({ at: s.document.backings[0]!.offset })).then(({ at }) => at);
    const start = page.getByLabel('Where Mono starts, in seconds from bar 1');
    await start.fill('-0.25');
    await page.keyboard.press('Tab');
    await until(async () => (await offset()) === -0.25);
    const box = (await page.getByRole('application', { name: /^Mono against the bars/ }).boundingBox())!;
    const scale = 12 / (box.width - 2 - 54 - 12);
    await drag(page, [box.x + 300, box.y + 40], [40, 0]);
    await until(async () => Math.abs((await offset()) - (-0.25 + 40 * scale)) < 0.01);
    const now = await offset();
    await page.keyboard.press('ArrowRight');
    await footplate(page)
      .getByText('2·1')
      .or(page.locator('[data-test=position]', { hasText: '2' }))
      .first()
      .waitFor();
    await page.getByRole('button', { name: 'Bar 1 is here' }).first().click();
    await until(async () => Math.abs((await offset()) - (now - 2)) < 1e-6);
    await page.keyboard.press('u');
    await until(async () => Math.abs((await offset()) - now) < 1e-9);
    // Pan, mute and level are settings; taking it out is undone.
    await page.getByRole('button', { name: 'Mute Mono' }).click();
    await kept(id, (s) => s.document.backings[0]!.muted);
    await page.getByRole('button', { name: 'Take Mono out' }).click();
    await kept(id, (s) => s.document.backings.length === 1);
    await page.keyboard.press('u');
    await kept(id, (s) => s.document.backings.length === 2);
    await page.keyboard.press(' ');
    await page.waitForFunction(
      () => globalThis.document.querySelector('[aria-label^="Level of High"] i')!.getBoundingClientRect().width > 20,
    );
    await page.keyboard.press(' ');
    await context.close();
  });
});
