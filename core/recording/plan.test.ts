import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { newBrief } from '../document/brief';
import { newSong, type SongDocument } from '../document/document';
import { plainBrief, presetOf, presetSchema } from './presets';
import { silencedBy, silencesNow } from './silenced';
import type { HeardList } from './lap';
import { mapsOf } from '../document/maps';
import { listenersOf } from './inputRoutes';
import { leadInFrom, planPass } from './plan';
import { recordedRange, spanAfter, spanBefore } from './settings';
import { secondsAt } from '../time/tempo';

const song = newSong('Lamps', 'piano');
const plan = (of: SongDocument, over: Partial<Parameters<typeof planPass>[0]> = {}) => {
  let n = 0;
  return planPass({
    song: of,
    maps: mapsOf(of),
    listeners: listenersOf(of),
    start: 3840,
    from: 'Bench keyboard',
    latency: { output: 0.02, input: 0 },
    newId: () => `id-${n++}`,
    at: '2026-01-01T00:00:00.000Z',
    ...over,
  });
};
const withBrief = (brief: Partial<SongDocument['brief']>): SongDocument => ({
  ...song,
  brief: { ...song.brief, ...brief },
});

describe('the plan of a pass', () => {
  it('names the recording of an outside instrument in its part’s layers, not where a controller is ridden', () => {
    const sounds = new Map([['piano', { recording: 'tape', input: 0.004 }]]);
    expect(plan(song, { sounds }).layers[0]!.sound).toEqual({ recording: 'tape', input: 0.004, frame: 0 });
    expect(
      plan(song, { sounds: new Map([['organ', { recording: 'tape', input: 0 }]]) }).layers[0]!.sound,
    ).toBeUndefined();
    expect(plan(withBrief({ ride: 'bend' }), { sounds }).layers[0]!.sound).toBeUndefined();
  });

  it('is what the brief says', () => {
    const quantize = { grid: '16 straight', strength: 0.5, ends: 'keep length' } as const;
    const made = plan(withBrief({ countOffBars: 2, range: { from: 7680, to: 11_520 }, keyboard: 'bench', quantize }));
    expect(made).toMatchObject({
      mode: 'new take',
      range: { from: 7680, to: 11_520 },
      routes: [{ keyboard: 'bench', low: 0, high: 127 }],
      layers: [{ partId: 'piano', quantize, planned: { from: 7680, to: 11_520 } }],
    });
    expect(made.count.beats).toHaveLength(8);
  });

  it('goes from the playhead to the end when no bars are chosen, and never starts past it', () => {
    expect(plan(song).range).toEqual({ from: 3840, to: 32 * 3840 });
    expect(plan(song, { start: 99 * 3840 }).range.from).toBeLessThan(32 * 3840);
  });

  it('is not changed by anything that the brief does not say', () => {
    const part = {
      ...song.parts[0]!,
      gainDb: -20,
      muted: true,
      solo: true,
      sound: 'clavi' as const,
      name: 'Other',
      ink: 'rust' as const,
    };
    const other: SongDocument = {
      ...song,
      title: 'Another',
      parts: [part],
      click: { ...song.click, when: 'never', gainDb: 0 },
      sections: [{ id: 's', name: 'Verse', bars: 4, pattern: null }],
    };
    expect(plan(other)).toEqual(plan(song));
  });

  it('leads in and out with as much music as there is', () => {
    const range = { from: 2 * 3840, to: 30 * 3840 };
    expect(plan(withBrief({ range, leadIn: { count: 1, unit: 'bars' } }))).toMatchObject({ music: 3840, range });
    expect(plan(withBrief({ range, leadIn: { count: 3, unit: 'beats' } })).music).toBe(2 * 3840 - 3 * 960);
    expect(plan(withBrief({ range, leadIn: { count: 9, unit: 'bars' } })).music).toBe(0);
    expect(plan(withBrief({ range, leadIn: { count: 1, unit: 'bars' }, leadInOn: false })).music).toBe(range.from);
    expect(plan(withBrief({ range, leadIn: { count: 1, unit: 'bars' }, wait: 'join' })).music).toBe(range.from);
    expect(plan(withBrief({ range, leadOut: { count: 1, unit: 'bars' } })).leadOut).toBe(3840);
    expect(plan(withBrief({ range, leadOut: { count: 9, unit: 'bars' } })).leadOut).toBe(2 * 3840);
    // The count leads into where the music starts.
    expect(plan(withBrief({ range, leadIn: { count: 1, unit: 'bars' } })).count.beats.at(-1)!.at).toBeCloseTo(
      secondsAt(mapsOf(song).tempo, 3840) - 0.6,
      9,
    );
  });

  it('takes in and out as far as they are on', () => {
    const range = { from: 7680, to: 11_520 };
    expect(plan(withBrief({ range, punchOut: false })).range).toEqual({ from: 7680, to: 32 * 3840 });
    expect(plan(withBrief({ range, punchIn: false })).range).toEqual({ from: 3840, to: 11_520 });
    expect(plan(withBrief({ range, punchIn: false }), { start: 5 * 3840 }).range).toEqual({
      from: 5 * 3840,
      to: 32 * 3840,
    });
    expect(plan(withBrief({ range: { from: 40 * 3840, to: 41 * 3840 } })).range.from).toBe(32 * 3840 - 1);
    expect(recordedRange({ range, punchIn: true, punchOut: true }, 0, 32 * 3840)).toEqual(range);
  });

  it('goes round, rides, waits and punches as it is asked to', () => {
    const range = { from: 7680, to: 11_520 };
    expect(plan(withBrief({ range, loop: true, laps: 'build up' }))).toMatchObject({
      loop: { from: 7680, laps: 'build up' },
      range,
      leadOut: 0,
      layers: [{ laps: 'build up', lap: 0 }],
    });
    expect(plan(withBrief({ loop: true })).loop).toMatchObject({ from: 0 });
    expect(plan(withBrief({ ride: 'bend' }))).toMatchObject({ mode: 'replace', layers: [{ ride: 'bend' }] });
    expect(plan(withBrief({ wait: 'start', countOffBars: 2 }))).toMatchObject({ wait: 'start', round: { bar: 2.4 } });
    expect(plan(withBrief({ wait: 'start' })).round.beats).toHaveLength(4);
    expect(plan(withBrief({ wait: 'start', countOffBars: 0 })).round.beats).toEqual([]);
    expect(plan(withBrief({ range }), { start: 8000, punched: true })).toMatchObject({
      punched: true,
      range: { from: 8000, to: 11_520 },
      wait: 'no',
      music: 8000,
    });
    expect(plan(withBrief({ range, loop: true }), { start: 8000, punched: true })).toMatchObject({
      range: { from: 8000, to: 11_520 },
      loop: { from: 7680 },
    });
  });

  it('knows the lead-in that starts where the player points', () => {
    const { meter } = mapsOf(song);
    expect(leadInFrom(meter, 3840, 3 * 3840)).toEqual({ count: 2, unit: 'bars' });
    expect(leadInFrom(meter, 3 * 3840 - 1920, 3 * 3840)).toEqual({ count: 2, unit: 'beats' });
    expect(spanBefore(meter, 3840 + 960, { count: 1, unit: 'bars' })).toBe(960);
    expect(spanAfter(meter, 960, { count: 2, unit: 'beats' })).toBe(2880);
  });

  it('keeps what is needed to place the layer again', () => {
    expect(plan(song).layers[0]).toMatchObject({
      tempo: song.tempo,
      latency: { output: 0.02, input: 0 },
      placement: { policy: 'heard', nudge: 0 },
    });
  });
});

describe('what of the line is silent meanwhile', () => {
  const range = { from: 0, to: 10_000 };
  const note = (start: number, end: number) => ({ id: `${start}`, key: 60, velocity: 9, release: 0, start, end });

  it('is what the pass will have cleared, as far as is known', () => {
    expect(silencedBy('merge', range, [note(1, 2)], 5, 960)).toEqual([]);
    expect(silencedBy('new take', range, [], 0, 960)).toEqual([range]);
    expect(silencedBy('replace', range, [], 0, 960)).toEqual([range]);
    expect(silencedBy('replace from my first note', range, [], 500, 960)).toEqual([]);
    expect(silencedBy('replace from my first note', range, [note(400, 500)], 500, 960)).toEqual([
      { from: 400, to: 10_000 },
    ]);
    // A phrase that goes on may go on to the end; one that a rest has ended is where it was.
    expect(silencedBy('replace while I play', range, [note(400, 900)], 1000, 960)).toEqual([{ from: 400, to: 10_000 }]);
    expect(silencedBy('replace while I play', range, [note(400, 900)], 2000, 960)).toEqual([{ from: 400, to: 900 }]);
  });

  it('is laid out anew just when that turns, whatever is played', () => {
    const { tempo } = mapsOf(song);
    const modes = ['merge', 'new take', 'replace', 'replace while I play', 'replace from my first note'] as const;
    const played = fc.array(fc.tuple(fc.integer({ min: 1, max: 3000 }), fc.integer({ min: 1, max: 2000 })), {
      maxLength: 6,
    });
    fc.assert(
      fc.property(fc.constantFrom(...modes), played, fc.integer({ min: 0, max: 3000 }), (mode, gaps, rest) => {
        // Notes one after another, and a moment after the last of them began.
        let at = 0;
        const played = gaps.map(([wait, length]) => {
          const from = at + wait;
          at = from + length;
          return note(from, at);
        });
        const now = at + rest;
        const kept = played
          .flatMap(
            ({ key, start, end }) =>
              [
                [start, { type: 'noteOn', key, velocity: 9 }],
                [end, { type: 'noteOff', key, velocity: 9 }],
              ] as const,
          )
          .reduce<HeardList | null>(
            (before, [tick, message]) => ({ heard: { at: secondsAt(tempo, tick), port: 'bench', message }, before }),
            null,
          );
        const pass = plan(withBrief({ mode, gap: 960 }));
        const reaches = silencedBy(mode, { from: 0, to: 1e6 }, played, now, 960).some((r) => r.to > now);
        // What is silent from the start on never turns.
        const turns = mode === 'replace while I play' || mode === 'replace from my first note';
        expect(silencesNow(pass, kept, false, now, tempo)).toBe(turns && reaches);
        expect(silencesNow(pass, kept, true, now, tempo)).toBe(mode === 'replace while I play' || (turns && reaches));
      }),
    );
  });
});

describe('a preset', () => {
  it('is a way of recording, not a place in a song, and the plain one switches everything off', () => {
    const brief = {
      ...song.brief,
      mode: 'merge' as const,
      loop: true,
      range: { from: 0, to: 3840 },
      leadIn: { count: 2, unit: 'bars' as const },
    };
    const kept = presetOf(brief);
    expect(kept).not.toHaveProperty('range');
    expect(kept).not.toHaveProperty('part');
    expect(presetSchema.parse(JSON.parse(JSON.stringify(kept)))).toEqual(kept);
    expect({ ...brief, ...plainBrief() }).toEqual({
      ...newBrief('piano'),
      range: brief.range,
      punchIn: false,
      punchOut: false,
    });
  });
});
