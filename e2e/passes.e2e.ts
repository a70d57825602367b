import { describe, expect, it } from 'vitest';
import type { Page } from 'playwright-core';
import { LAP_NAMES, LAP_POLICIES, MODES } from '../core/vocabulary/modes';
import { newPart } from '../core/document/part';
import { openTimed, type Time } from '../harness/clock/time';
import { footplate, open, withKeyboard, choose, state } from '../harness/browser';
import { addPlayedSong, chooseBars, lineOf, OLD, putAway } from '../harness/played';
import { addSong, readSong, until } from '../harness/server';
import { trial } from '../harness/trial';
import type { OpenedSong } from '../harness/types';

const on = trial();
/** A quarter is a quarter of a second, a bar a second. */
const BPM = 240;

const openPlay = (id: string) => openTimed(on.browser, on.server.address, `/songs/${id}/play`);
const upper = (text: string) => text[0]!.toUpperCase() + text.slice(1);
const quarters = (from: number, to: number) => Array.from({ length: to - from }, (_, i) => from + i);
const olds = (line: ReturnType<typeof lineOf>) => line.filter((n) => n.key === OLD).map((n) => Math.round(n.from));
/** Newly played notes: key, start and end in quarters, exact to the tick. */
const news = (line: ReturnType<typeof lineOf>) =>
  line.filter((n) => n.key > OLD).map((n) => [n.key, Math.round(n.from * 960) / 960, Math.round(n.to * 960) / 960]);
const struckIn = (song: OpenedSong) =>
  song.layers.map((l) => l.events.flatMap((e) => (e.message.type === 'noteOn' ? [e.message.key] : [])));
/** Song once it has a number of takes. */
const withTakes = (id: string, count: number) =>
  until(async () => {
    const song = await readSong(on.server.address, id);
    return song.document.parts[0]!.takes.length === count && song.layers.every((l) => l.closing) && song;
  });
/** Leaves another station, without waiting for frames, which do not come while the clock is stopped. */
async function goToPlay(page: Page): Promise<void> {
  await page.getByRole('link', { name: 'Play', exact: true }).click();
  await page.getByRole('region', { name: 'The brief' }).waitFor();
}
/** Ends the roll by a key, and waits until it is stored. */
async function end(time: Time, page: Page, key = 'r'): Promise<void> {
  await page.keyboard.press(key);
  await time.state('Ready');
  await time.free();
}
/** Sets a loop over bars, with a lap policy. */
async function goRound(page: Page, bars: readonly [number, number], laps?: string): Promise<void> {
  await chooseBars(page, ...bars);
  await page.getByLabel('Go round until I stop').check();
  if (laps) await page.getByRole('button', { name: laps, exact: true }).click();
  await page.keyboard.press('Escape');
}

describe('what happens to what is there', () => {
  it.each(MODES)('%s', async (mode) => {
    const id = await addPlayedSong(on.server.address, 6, BPM);
    const { page, context, errors, time } = await openPlay(id);
    await chooseBars(page, 2, 3);
    await page.keyboard.press('Escape');
    await page.locator('[data-control=mode]').click();
    await page.getByRole('button', { name: upper(mode), exact: true }).click();
    await page.keyboard.press('Escape');
    await time.roll(() => page.keyboard.press('r'));
    await time.press(72, 1.45, 1.95);
    await time.state('Recording');
    await time.state('Ready');
    await time.free();
    const song = await until(async () => {
      const found = await putAway(on.server.address, id, 2);
      return lineOf(found).some((n) => n.key === 72) && found;
    });
    // Sent notes were stored where they were played.
    expect(song.layers[1]!.events.map((e) => [Math.round(e.at * 1e6) / 1e6, e.message.type])).toEqual([
      [1.45, 'noteOn'],
      [1.95, 'noteOff'],
    ]);
    expect(news(lineOf(song))).toEqual([[72, 5.8, 7.8]]);
    const kept = {
      'new take': quarters(0, 4),
      replace: quarters(0, 4),
      merge: quarters(0, 12),
      'replace from my first note': quarters(0, 6),
      'replace while I play': quarters(0, 12).filter((q) => q < 6 || q >= 8),
    }[mode];
    expect(olds(lineOf(song))).toEqual([...kept, ...quarters(12, 24)]);
    expect(song.document.parts[0]!.takes.map((t) => t.layers.length)).toEqual(mode === 'new take' ? [1, 1] : [2]);
    expect(errors).toEqual([]);
    await context.close();
  });
});

describe('laps', () => {
  it.each(LAP_POLICIES)('%s', async (laps) => {
    const id = await addPlayedSong(on.server.address, 6, BPM);
    const { page, context, errors, time } = await openPlay(id);
    await goRound(page, [2, 3], LAP_NAMES[laps]);
    await time.roll(() => page.keyboard.press('r'));
    // A note in each of the first two laps, none in the third; the fourth is broken off after one.
    await time.press(72, 1.5, 1.75);
    await time.press(74, 4, 4.5);
    await time.press(76, 7.6, 7.7);
    await time.to(3.5);
    await footplate(page).getByText('Round bars 2–3, lap 2').waitFor();
    await time.to(7.75);
    await footplate(page).getByText('Round bars 2–3, lap 4').waitFor();
    await end(time, page);
    const song = await until(async () => {
      const found = await readSong(on.server.address, id);
      return found.document.parts[0]!.takes.some((t) => t.layers.some((l) => l.endsWith('.3'))) && found;
    });
    const expected: Readonly<Record<string, { layers: number[]; heard: unknown[] }>> = {
      // The broken-off lap replaces only its own three quarters.
      'a new take each': {
        layers: [1, 1, 1, 1],
        heard: [
          [76, 6.4, 6.8],
          [74, 8, 10],
        ],
      },
      'build up': {
        layers: [4],
        heard: [
          [72, 6, 7],
          [76, 6.4, 6.8],
          [74, 8, 10],
        ],
      },
      'fresh, then build up': {
        layers: [1, 3],
        heard: [
          [72, 6, 7],
          [76, 6.4, 6.8],
          [74, 8, 10],
        ],
      },
      'play to overwrite': {
        layers: [4],
        heard: [
          [76, 6.4, 6.8],
          [74, 8, 10],
        ],
      },
      'keep the last full lap': { layers: [1, 1, 1, 1], heard: [[74, 8, 10]] },
      'a layer each': {
        layers: [4],
        heard: [
          [72, 6, 7],
          [76, 6.4, 6.8],
          [74, 8, 10],
        ],
      },
    };
    expect(song.document.parts[0]!.takes.map((t) => t.layers.length)).toEqual(expected[laps]!.layers);
    expect(news(lineOf(song))).toEqual(expected[laps]!.heard);
    // Outside the loop existing notes stay; inside they stay where laps are added, and are replaced otherwise.
    const stays = laps === 'build up' || laps === 'a layer each';
    expect(olds(lineOf(song))).toEqual(stays ? quarters(0, 24) : [...quarters(0, 4), ...quarters(12, 24)]);
    // Each sent note is in its lap's layer; the idle lap left none.
    expect(struckIn(song).slice(1)).toEqual([[72], [74], [76]]);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('are taken back while the loop goes on: the last one goes, and the next is recorded', async () => {
    const id = await addPlayedSong(on.server.address, 4, BPM);
    const { page, context, errors, time } = await openPlay(id);
    await goRound(page, [1, 2], 'Add on each lap');
    const keys = async () =>
      lineOf(await readSong(on.server.address, id))
        .filter((n) => n.key > OLD)
        .map((n) => n.key)
        .join();
    await time.roll(() => page.keyboard.press('r'));
    await time.press(72, 0.5, 0.75);
    // A lap is stored when no late message can come for it.
    await time.to(3.25);
    await until(async () => (await keys()) === '72');
    await page.keyboard.press('u');
    await until(async () => (await keys()) === '');
    await time.press(74, 3.5, 3.75);
    await time.to(3.9);
    await end(time, page);
    await until(async () => (await keys()) === '74');
    await page.keyboard.press('u');
    await until(async () => (await keys()) === '');
    await page.keyboard.press('y');
    await until(async () => (await keys()) === '74');
    // Undone notes are still buffered.
    expect(struckIn(await readSong(on.server.address, id)).flat()).toContain(72);
    expect(errors).toEqual([]);
    await context.close();
  });

  it('that are layers can be muted and moved out to a part of their own, and come back', async () => {
    const id = await addPlayedSong(on.server.address, 4, BPM);
    const { page, context, time } = await openPlay(id);
    await goRound(page, [1, 2], 'A layer each');
    await time.roll(() => page.keyboard.press('r'));
    await time.press(72, 0.5, 0.75);
    await time.press(74, 2.5, 2.75);
    await time.to(3);
    await end(time, page);
    await page.getByRole('button', { name: '3 layers' }).click();
    const keys = async (index: number) => {
      const found = await readSong(on.server.address, id);
      return found.document.parts[index]
        ? lineOf(found, index)
            .filter((n) => n.key > OLD)
            .map((n) => n.key)
            .sort()
            .join()
        : '';
    };
    await until(async () => (await keys(0)) === '72,74');
    await page.getByRole('button', { name: 'Mute lap 1, added' }).click();
    await until(async () => (await keys(0)) === '74');
    await page.getByRole('button', { name: 'Mute lap 1, added' }).click();
    await page.getByRole('button', { name: 'Move lap 2, added out to a part of its own' }).click();
    await until(async () => (await keys(0)) === '72' && (await keys(1)) === '74');
    await page.keyboard.press('u');
    await until(async () => (await keys(1)) === '' && (await keys(0)) === '72,74');
    await context.close();
  });

  it('are taken back one by one or all together, also after a reload, and given back again', async () => {
    const id = await addPlayedSong(on.server.address, 4, BPM);
    const { page, context, time } = await openPlay(id);
    await goRound(page, [1, 1]);
    await time.roll(() => page.keyboard.press('r'));
    for (const [lap, key] of [72, 74, 76].entries()) await time.press(key, lap + 0.25, lap + 0.5);
    await time.to(2.75);
    await end(time, page);
    await withTakes(id, 4);
    await page.keyboard.press('u');
    await withTakes(id, 3);
    await page.reload();
    await state(page, 'Ready');
    await page.keyboard.press('Shift+U');
    await withTakes(id, 1);
    for (let i = 0; i < 3; i += 1) await page.keyboard.press('y');
    await withTakes(id, 4);
    await context.close();
  });
});

describe('a note that is waited for', () => {
  it.each([
    ['My first note is the start', 0],
    ['Join the count', 0.6],
  ])('%s', async (button, place) => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 120 }], bars: 8 });
    const { page, context, time } = await openPlay(id);
    await page.locator('[data-control=count]').click();
    await page.getByRole('button', { name: button }).click();
    await page.keyboard.press('Escape');
    await time.roll(() => page.keyboard.press('r'));
    await time.state('Waiting for your first note');
    // The count of two-second bars repeats twice; the note comes six tenths of a beat into the third.
    await time.press(64, 4.3, 4.5);
    await time.to(4.6);
    await time.state('Recording');
    // The music has its place now, a beat and a half after the first note.
    const first = place / 2;
    await time.press(65, first + 0.75, first + 1);
    await time.to(first + 1.5);
    await end(time, page);
    const song = await withTakes(id, 1);
    expect(lineOf(song).map((n) => [n.key, Math.round(n.from * 960), Math.round(n.to * 960)])).toEqual([
      [64, Math.round(place * 960), Math.round((place + 0.4) * 960)],
      [65, Math.round((place + 1.5) * 960), Math.round((place + 2) * 960)],
    ]);
    await context.close();
  });
});

describe('in and out', () => {
  it('takes in a note just ahead of the start, and lets it sound from there', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: 60 }], bars: 2 });
    const { page, context, time } = await openPlay(id);
    await page.locator('[data-control=count]').click();
    await page.getByRole('button', { name: '2 beats' }).click();
    await page.keyboard.press('Escape');
    await time.roll(() => page.keyboard.press('r'));
    // A sixteenth is a quarter of a second here: one note is within it, one is not.
    await time.press(70, -0.26, -0.24);
    await time.press(72, -0.14, 0.5);
    await time.to(1);
    await end(time, page);
    const song = await withTakes(id, 1);
    expect(news(lineOf(song))).toEqual([[72, 0, 0.5]]);
    expect(song.layers[0]!.events.find((e) => e.message.type === 'noteOn' && e.message.key === 72)!.at).toBeCloseTo(
      -0.14,
      6,
    );
    await context.close();
  });

  it('is punched by a pedal that was taught to, which is not recorded, and has the note struck with it', async () => {
    const id = await addPlayedSong(on.server.address, 12, 120);
    const { page, context, time } = await openPlay(id);
    await page.goto(`/songs/${id}/line-check?page=Hands-free`);
    await page.getByRole('button', { name: 'Teach Record' }).click();
    await page.evaluate('midiSend([0xb0, 67, 127]); midiSend([0xb0, 67, 0])');
    await page.getByText('the soft pedal on Stage keyboard').waitFor();
    await goToPlay(page);
    await time.roll(() => page.keyboard.press(' '));
    await page.getByText('from where you press Record to the end').waitFor();
    // The pedal goes down at the third beat, forty milliseconds after the note.
    await time.press(72, 0.96, 2);
    await time.send([0xb0, 67, 127], await time.of(1));
    await time.send([0xb0, 67, 0], await time.of(1.2));
    await time.to(1.5);
    await time.state('Recording');
    await time.send([0xb0, 67, 127], await time.of(3));
    await time.send([0xb0, 67, 0], await time.of(3.2));
    await time.to(3.1);
    await time.state('Playing');
    await time.to(4.5);
    await end(time, page, ' ');
    const song = await withTakes(id, 2);
    const [, punched] = song.document.parts[0]!.takes;
    expect([punched!.from, punched!.to].map(Math.round)).toEqual([1920, 5760]);
    expect(news(lineOf(song))).toEqual([[72, 2, 4]]);
    expect(song.layers[1]!.events.some((e) => e.message.type === 'control')).toBe(false);
    await context.close();
  });

  it('brings a take that is marked by a pedal that was taught to, and from the footplate', async () => {
    const id = await addPlayedSong(on.server.address, 4, 240);
    const { page, context, time } = await openPlay(id);
    await page.goto(`/songs/${id}/line-check?page=Hands-free`);
    await page.getByRole('button', { name: 'Teach Mark the take good' }).click();
    await page.evaluate('midiSend([0xb0, 67, 127]); midiSend([0xb0, 67, 0])');
    await page.getByText('the soft pedal on Stage keyboard').waitFor();
    await goToPlay(page);
    await time.roll(() => page.keyboard.press('r'));
    await time.press(72, 0.5, 1);
    await time.to(1.2);
    await end(time, page, 'r');
    await withTakes(id, 2);
    await page.evaluate('midiSend([0xb0, 67, 127]); midiSend([0xb0, 67, 0])');
    const marked = (mark: string | null) =>
      until(async () => (await readSong(on.server.address, id)).document.parts[0]!.takes[1]!.mark === mark);
    await marked('good');
    await page.getByRole('group', { name: 'The latest take' }).getByRole('button', { name: 'maybe' }).click();
    await marked('maybe');
    await page.keyboard.press('m');
    await marked('no');
    await page.keyboard.press('u');
    await marked('maybe');
    await context.close();
  });

  it('is set by dragging, an edge, a section’s name, keys while it plays, and typed; nonsense is refused', async () => {
    const id = await addSong(on.server.address, {
      bars: 16,
      sections: [
        { id: 'a', name: 'Verse', bars: 8, pattern: null },
        { id: 'b', name: 'Bridge', bars: 8, pattern: null },
      ],
    });
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    await state(page, 'Ready');
    const brief = page.getByRole('region', { name: 'The brief' });
    const says = (words: string) => brief.getByRole('button', { name: `What is recorded: ${words}` }).waitFor();
    const chart = (await page.getByRole('application').boundingBox())!;
    const cell = Math.floor((chart.width - 2 - 92 - 12) / 8);
    const at = (bar: number, share = 0.5): [number, number] => [
      chart.x + 1 + 92 + (((bar - 1) % 8) + share) * cell,
      chart.y + 40 + Math.floor((bar - 1) / 8) * 74,
    ];
    const drag = async (a: [number, number], b: [number, number]) => {
      await page.mouse.move(...a);
      await page.mouse.down();
      await page.mouse.move((a[0] + b[0]) / 2, b[1]);
      await page.mouse.move(...b);
      await page.mouse.up();
    };
    await drag(at(2), at(4));
    await says('bars 2–4');
    await drag(at(5, 0), at(7, 0));
    await says('bars 2–6');
    await page.keyboard.down('Shift');
    await page.mouse.click(...at(8));
    await page.keyboard.up('Shift');
    await says('bars 2–8');
    await page.locator('[data-control=where]').click();
    await page.getByRole('button', { name: 'beats', exact: true }).waitFor();
    // The control leaves its sentence in view.
    const [card, pop] = [(await brief.boundingBox())!, (await page.locator('.popup').boundingBox())!];
    expect(pop.y).toBeGreaterThanOrEqual(card.y + card.height);
    await page.getByRole('button', { name: 'beats', exact: true }).click();
    await page.keyboard.press('Escape');
    await drag(at(2, 0.26), at(3, 0.52));
    await says('2 · 2 to 3 · 3');
    await page.locator('[data-control=where]').click();
    await page.getByRole('button', { name: 'bars', exact: true }).click();
    await page.keyboard.press('Escape');
    await page.mouse.click(chart.x + 30, at(9)[1]);
    await says('bars 9–16');
    // The in-bracket's tail reaches back to the start of the lead-in.
    const foot: [number, number] = [at(9, 0)[0], chart.y + 1 + 16 + 74 + 62 + 5];
    await drag(foot, at(7, 0));
    await brief.getByText('lead in with').waitFor();
    await brief.getByRole('button', { name: 'Lead-in: 2 bars' }).waitFor();
    await page.keyboard.press('e');
    await brief.getByText('lead in with').waitFor({ state: 'detached' });
    await page.keyboard.press('n');
    await says('from bar 1 to the end');
    await page.locator('[data-control=where]').click();
    await page.getByRole('textbox', { name: 'From bar' }).fill('three');
    await page.getByRole('textbox', { name: 'From bar' }).press('Tab');
    await page.getByText('“three” is not a place in this song').waitFor();
    await page.getByRole('textbox', { name: 'From bar' }).fill('3.3');
    await page.getByRole('textbox', { name: 'From bar' }).press('Tab');
    await says('from 3 · 3 to the end');
    await page.keyboard.press('Escape');
    await page.keyboard.press('Home');
    await page.keyboard.press(' ');
    await state(page, 'Playing');
    await page.keyboard.press('i');
    await page.keyboard.press('o');
    await page.keyboard.press(' ');
    await state(page, 'Ready');
    await says('bar 1');
    await context.close();
  });
});

describe('the hands', () => {
  it('go again: what was played stays, and the same pass begins', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: BPM }], bars: 8 });
    const { page, context, time } = await openPlay(id);
    await time.roll(() => page.keyboard.press('r'));
    await time.press(60, 0.5, 0.75);
    await time.to(1);
    await time.roll(() => page.keyboard.press('g'));
    await footplate(page)
      .getByText(/Counting off/)
      .waitFor();
    await time.press(62, 0.5, 0.75);
    await time.to(1);
    await end(time, page);
    const song = await withTakes(id, 2);
    expect(song.document.parts[0]!.takes.map((t) => [t.from, Math.round(t.to)])).toEqual([
      [0, 3840],
      [0, 3840],
    ]);
    expect(lineOf(song).map((n) => n.key)).toEqual([62]);
    // The take before, and back.
    await page.keyboard.press(',');
    await until(async () => lineOf(await readSong(on.server.address, id)).some((n) => n.key === 60));
    await page.keyboard.press('.');
    await until(async () => lineOf(await readSong(on.server.address, id)).some((n) => n.key === 62));
    await context.close();
  });

  it('move a control while the song plays: the recorded one is set aside until it is let resume', async () => {
    const id = await addSong(on.server.address, { tempo: [{ tick: 0, bpm: BPM }], bars: 8 });
    const { page, context, time } = await openPlay(id);
    await time.roll(() => page.keyboard.press('r'));
    await time.send([0xb0, 1, 40], await time.of(0.25));
    await time.press(60, 0.25, 0.5);
    await time.send([0xb0, 1, 90], await time.of(0.5));
    await time.to(1);
    await end(time, page);
    await withTakes(id, 1);
    await time.roll(() => page.keyboard.press(' '));
    await time.send([0xb0, 1, 10], await time.of(0.5));
    await time.to(0.75);
    await page.getByText('The modulation wheel of Piano: yours is heard, the recorded one is set aside.').waitFor();
    await time.free();
    await page.getByRole('button', { name: 'Resume' }).click();
    await page.getByText('is set aside').waitFor({ state: 'detached' });
    await context.close();
  });

  it('ride one controller over a take, and leave its notes alone', async () => {
    const id = await addPlayedSong(on.server.address, 4, BPM);
    const { page, context, time } = await openPlay(id);
    await page.locator('[data-control=mode]').click();
    await choose(page, 'The controller to ride', 'the modulation wheel');
    await page.keyboard.press('Escape');
    await page.getByText('ride the modulation wheel').waitFor();
    await time.roll(() => page.keyboard.press('r'));
    const at = await time.of(0.5);
    for (const bytes of [
      [0xb0, 1, 70],
      [0x90, 90, 90],
      [0x80, 90, 0],
      [0xb0, 11, 20],
    ])
      await time.send(bytes, at);
    await time.to(1);
    await end(time, page);
    const song = await until(async () => {
      const found = await readSong(on.server.address, id);
      return found.document.parts[0]!.takes[0]!.layers.length === 2 && found;
    });
    expect(song.layers[1]!.closing!.clears).toMatchObject([{ lane: 'control 1' }]);
    expect(lineOf(song).every((n) => n.key === OLD)).toBe(true);
    expect(song.layers[1]!.events).toHaveLength(4);
    await context.close();
  });

  it('play another part from the moment it hears the keys', async () => {
    const id = await addSong(on.server.address, {
      tempo: [{ tick: 0, bpm: 120 }],
      bars: 8,
      parts: [newPart({ id: 'piano', name: 'Piano' }, 0), newPart({ id: 'organ', name: 'Organ' }, 1)],
    });
    const { page, context, time } = await openPlay(id);
    await time.roll(() => page.keyboard.press('r'));
    await time.press(60, 0.5, 0.75);
    await time.to(1);
    await page.getByRole('button', { name: 'arm', exact: true }).click();
    await time.press(64, 1.5, 1.75);
    await time.to(2);
    await end(time, page);
    const song = await until(async () => {
      const found = await readSong(on.server.address, id);
      return found.document.parts.every((p) => p.takes.length === 1) && found;
    });
    expect([0, 1].map((i) => news(lineOf(song, i)))).toEqual([[[60, 1, 1.5]], [[64, 3, 3.5]]]);
    await context.close();
  });

  it('keep a way of recording by name, and go back to a plain new take with one key', async () => {
    const id = await addSong(on.server.address);
    const { page, context } = await open(on.browser, on.server.address, `/songs/${id}/play`, withKeyboard);
    await state(page, 'Ready');
    await page.locator('[data-control=mode]').click();
    await page.getByRole('button', { name: 'Replace while I play' }).click();
    await page.keyboard.press('Escape');
    await page.getByRole('button', { name: 'Presets' }).click();
    await page.getByLabel('Keep the brief as').fill('Patching');
    await page.keyboard.press('Enter');
    await page.getByRole('button', { name: 'Patching', exact: true }).waitFor();
    await page.keyboard.press('Escape');
    await page.keyboard.press('n');
    await page.locator('[data-control=mode]', { hasText: 'record a new take' }).waitFor();
    await page.reload();
    await state(page, 'Ready');
    await page.getByRole('button', { name: 'Presets' }).click();
    await page.getByRole('button', { name: 'Patching', exact: true }).click();
    await page.locator('[data-control=mode]', { hasText: 'replace, only while I play' }).waitFor();
    await context.close();
  });
});
