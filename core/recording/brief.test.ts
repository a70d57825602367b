import { describe, expect, it } from 'vitest';
import { newPart } from '../document/part';
import { newSong, type SongDocument } from '../document/document';
import { mapsOf } from '../document/maps';
import { briefPhrases, briefText, type BriefFacts } from './brief';
import { MODES, LAP_POLICIES } from '../vocabulary/modes';

const song = newSong('Lamps on the Causeway', 'piano');
const maps = mapsOf(song);
const facts = (brief: Partial<SongDocument['brief']> = {}, over: Partial<BriefFacts> = {}): BriefFacts => ({
  song: { ...song, brief: { ...song.brief, ...brief } },
  meter: maps.meter,
  end: maps.end,
  playhead: 0,
  keyboards: [{ id: 'bench', name: 'Bench keyboard' }],
  ...over,
});
const said = (...of: Parameters<typeof facts>) => briefText(briefPhrases(facts(...of)));
const marks = (...of: Parameters<typeof facts>) =>
  briefPhrases(facts(...of)).flatMap((p) => (p.mark ? [p.control] : []));
const BAR = 3840;
const range = { from: 16 * BAR, to: 20 * BAR };
const REST =
  ', with what any keyboard plays, taking in notes up to a sixteenth early. You hear Tall Kettle, quantize off.';

describe('the brief', () => {
  it('says what the next pass will do', () => {
    expect(said()).toBe(`Count 1 bar, then record a new take of Piano from bar 1 to the end${REST}`);
    expect(said({ countOffBars: 2, range, keyboard: 'bench' })).toBe(
      'Count 2 bars, then record a new take of Piano, bars 17–20, with what Bench keyboard plays, taking in ' +
        'notes up to a sixteenth early. You hear Tall Kettle, quantize off.',
    );
    expect(
      said(
        { countOffBars: 0, quantize: { grid: '16 straight', strength: 0.7, ends: 'keep length' } },
        { playhead: BAR * 4 + 1920 },
      ),
    ).toBe(
      'Start with no count, then record a new take of Piano from 5 · 3 to the end, with what any ' +
        'keyboard plays, taking in notes up to a sixteenth early. You hear Tall Kettle, quantize 70% to sixteenths.',
    );
    expect(said({ range: { from: 0, to: BAR } })).toContain('Piano, bar 1, with');
    expect(said({ range: { from: 960, to: BAR } })).toContain('1 · 2 to 2 · 1');
  });

  it('says how far in and out are on', () => {
    expect(said({ range, punchOut: false })).toContain('of Piano from bar 17 to the end, with');
    expect(said({ range, punchIn: false }, { playhead: BAR })).toContain(
      'of Piano from bar 2 to the end of bar 20, with',
    );
    expect(said({ range: { from: BAR, to: 2 * BAR + 1920 }, punchIn: false })).toContain('from bar 1 to 3 · 3, with');
    expect(said({ range, punchIn: false, punchOut: false })).toContain('from bar 1 to the end, with');
    expect(said({ range }, { playing: true, playhead: BAR })).toBe(
      'Record at once: record a new take of Piano from where you press Record to the end of bar 20, ' +
        'with what any keyboard plays, taking in notes up to a sixteenth early. You hear Tall Kettle, quantize off.',
    );
  });

  it('says how it is led into', () => {
    expect(said({ countOffBeats: 3 })).toContain('Count 3 beats, then');
    expect(said({ wait: 'start' })).toContain(
      'Count 1 bar, round and round, until my first note, which is the start, then record',
    );
    expect(said({ wait: 'join', countOffBars: 2 })).toContain(
      'Count 2 bars, round and round, until my first note, which joins the count, then record',
    );
    expect(said({ wait: 'start', countOffBars: 0 })).toContain(
      'Wait, with no count, until my first note, which is the start, then',
    );
    expect(said({ range, leadIn: { count: 2, unit: 'bars' } })).toContain(
      'Count 1 bar, lead in with 2 bars, then record',
    );
    expect(said({ range, leadIn: { count: 1, unit: 'beats' }, leadOut: { count: 1, unit: 'bars' } })).toContain(
      'lead in with 1 beat, then record a new take of Piano, bars 17–20 and 1 bar of lead-out, with',
    );
    // What is off, or cannot be, is not said.
    expect(said({ range, leadIn: { count: 2, unit: 'bars' }, leadInOn: false })).not.toContain('lead in');
    expect(said({ range, leadIn: { count: 2, unit: 'bars' }, wait: 'join' })).not.toContain('lead in');
  });

  it('says what happens to what is there, in each mode', () => {
    const ways = [
      'record a new take of Piano',
      'merge into Piano',
      'replace Piano',
      'replace, only while I play, Piano',
      'replace, from my first note on, Piano',
    ];
    MODES.forEach((mode, i) => expect(said({ mode })).toContain(`then ${ways[i]} from bar 1`));
    expect(said({ mode: 'replace while I play', gap: 1920 })).toContain(
      'replace, only while I play (a rest of a half ends it), Piano',
    );
    expect(said({ ride: 'control 1', mode: 'replace' })).toContain('then ride the modulation wheel over Piano');
    expect(said({ ride: 'bend', mode: 'merge' })).toContain('then add the bend wheel to Piano');
    expect(said({ ride: 'control 21' })).toContain('ride controller 21 over Piano');
  });

  it('says what each lap does', () => {
    const ways = [
      'record each lap as a new take of Piano',
      'add, on each lap, to Piano',
      'record a new take and add to it, lap by lap, of Piano',
      'replace, by each lap that I play in, Piano',
      'record lap after lap and let the last whole one stand of Piano',
      'record each lap as a layer of its own on Piano',
    ];
    LAP_POLICIES.forEach((laps, i) =>
      expect(said({ range, loop: true, laps })).toBe(`Count 1 bar, then ${ways[i]}, going round bars 17–20${REST}`),
    );
    expect(said({ loop: true })).toContain('going round bars 1–32');
  });

  it('reads differently whenever the pass would go differently', () => {
    const ways: Partial<SongDocument['brief']>[] = [
      {},
      { countOffBars: 2 },
      { countOffBeats: 2 },
      { wait: 'start' },
      { wait: 'join' },
      { range },
      { range, punchIn: false },
      { range, punchOut: false },
      { range, leadIn: { count: 1, unit: 'bars' } },
      { range, leadOut: { count: 1, unit: 'bars' } },
      ...MODES.slice(1).map((mode) => ({ mode })),
      ...LAP_POLICIES.map((laps) => ({ range, loop: true, laps })),
      { early: 0 },
      { early: 480 },
      { ride: 'control 1' },
      { ride: 'control 1', mode: 'merge' as const },
      { keyboard: 'bench' },
      { quantize: { grid: '8 straight', strength: 1, ends: 'keep end' } },
      { mode: 'replace while I play', gap: 480 },
      { part: null },
    ];
    expect(new Set(ways.map((w) => said(w))).size).toBe(ways.length);
  });

  it('says which parts hear what, at what speed, and what is left out', () => {
    const two = {
      ...song,
      speed: 0.8,
      parts: [...song.parts, newPart({ id: 'organ', name: 'Organ' }, 1)],
      brief: {
        ...song.brief,
        keys: { low: 60, high: 127 },
        also: [{ part: 'organ', keyboard: 'bench', low: 0, high: 59 }],
      },
    };
    expect(briefText(briefPhrases({ ...facts(), song: two }))).toContain(
      'Count 1 bar at 80% speed, then record a new take of Piano (C4 to G9) and Organ (C-1 to B3 on ' +
        'Bench keyboard) from bar 1',
    );
    const filtered = { keyboards: [{ id: 'bench', name: 'Bench keyboard', leavesOut: ['the sustain pedal'] }] };
    expect(said({}, filtered)).toContain(
      'plays, taking in notes up to a sixteenth early but not the sustain pedal. You hear',
    );
    expect(said({ keyboard: 'other' }, filtered)).not.toContain('sustain');
    expect(said({ early: 0 })).toContain('plays, taking in nothing early. You hear');
  });

  it('says when the song is transposed, and where', () => {
    const of = (over: Partial<SongDocument>) => briefPhrases({ ...facts(), song: { ...song, ...over } });
    const whole = of({ transposition: [{ bar: 1, semitones: 2 }], key: { fifths: 0, minor: false } });
    expect(briefText(whole)).toMatch(/^Count 1 bar, 2 semitones up, then record/);
    expect(whole.find((p) => p.control === 'key')!.mark).toBe(
      'The song sounds 2 semitones up: in D major. What you record is in that key.',
    );
    const some = of({
      transposition: [
        { bar: 5, semitones: -1 },
        { bar: 9, semitones: 0 },
      ],
    });
    expect(briefText(some)).toContain('Count 1 bar, transposed in places, then');
    expect(some.find((p) => p.control === 'key')!.mark).toContain('1 semitone down in bars 5–8');
    expect(briefText(of({}))).not.toContain('transposed');
  });

  it('says whose sound is recorded, from where, and why it is not where it is set', () => {
    const input = { device: 'line', name: 'Line In', channels: 2 as const };
    const sounding = { ...song, parts: [{ ...song.parts[0]!, input }] };
    const of = (over: Partial<SongDocument>, inputs?: ReadonlySet<string>) =>
      briefPhrases({ ...facts(), song: { ...sounding, ...over }, ...(inputs ? { inputs } : {}) });
    expect(briefText(of({}))).toContain(
      'plays, taking in notes up to a sixteenth early, and the sound from Line In. You hear',
    );
    expect(of({}).some((p) => p.mark)).toBe(false);
    const two = {
      parts: [...sounding.parts, newPart({ id: 'organ', name: 'Organ' }, 1)],
      brief: { ...song.brief, also: [{ part: 'organ', keyboard: null, low: 0, high: 127 }] },
    };
    expect(briefText(of(two))).toContain(', and the sound from Line In for Piano. You hear');
    const without = [
      of({ speed: 0.8 }),
      of({ brief: { ...song.brief, ride: 'bend' } }),
      of({}, new Set(['another'])),
    ].map((phrases) => phrases.find((p) => p.control === 'sound')!);
    expect(without.map((p) => p.text)).toEqual(Array(3).fill('no sound from Line In'));
    expect(new Set(without.map((p) => p.mark)).size).toBe(3);
    expect(of({ brief: { ...song.brief, part: null } }).some((p) => p.control === 'sound')).toBe(false);
  });

  it('marks what may surprise, and nothing else', () => {
    expect(marks()).toEqual([]);
    expect(marks({ range, loop: true, leadIn: { count: 1, unit: 'bars' } }, { there: 0 })).toEqual([]);
    expect(marks({ quantize: { grid: '16 straight', strength: 1, ends: 'keep end' } })).toEqual(['quantize']);
    expect(marks({ part: null })).toEqual(['part']);
    expect(marks({ keyboard: 'gone' })).toEqual(['keyboard']);
    expect(marks({}, { keyboards: [] })).toEqual(['keyboard']);
    expect(marks({}, { playhead: BAR * 32 })).toEqual(['where']);
    expect(marks({ range: { from: 40 * BAR, to: 41 * BAR } })).toEqual(['where']);
    expect(marks({ range, punchIn: false }, { playhead: 25 * BAR })).toEqual(['where']);
    expect(MODES.map((mode) => marks({ mode }, { there: 9 }).length)).toEqual([0, 1, 1, 1, 1]);
    expect(MODES.flatMap((mode) => marks({ mode }, { there: 0 }))).toEqual([]);
    expect(LAP_POLICIES.map((laps) => marks({ range, loop: true, laps }, { there: 9 }).length)).toEqual([
      0, 1, 0, 1, 0, 1,
    ]);
    expect(marks({ ride: 'bend' })).toEqual(['mode']);
    expect(marks({ leadIn: { count: 1, unit: 'bars' } })).toEqual(['lead-in']);
    expect(marks({}, { keyboards: [{ id: 'a', name: 'A', leavesOut: ['notes'] }] })).toEqual(['keyboard']);
    const silent = { ...song, click: { ...song.click, when: 'never' as const } };
    expect(
      briefPhrases({ ...facts(), song: silent })
        .filter((p) => p.mark)
        .map((p) => p.control),
    ).toEqual(['count']);
  });

  it('says of quantize what it will do in this pass: with a mode, with laps, with a ride', () => {
    const quantized = { quantize: { grid: '16 straight', strength: 1, ends: 'keep end' } as const, range };
    const mark = (over: Partial<SongDocument['brief']>) =>
      briefPhrases(facts({ ...quantized, ...over }, { there: 4 })).find((p) => p.control === 'quantize')!.mark!;
    expect(mark({ mode: 'merge' })).toContain('left as they are');
    expect(mark({ loop: true, laps: 'build up' })).toContain('left as they are');
    expect(mark({ mode: 'merge', loop: true, laps: 'a new take each' })).not.toContain('left as they are');
    expect(mark({ ride: 'control 1' })).toContain('nothing is pulled');
  });
});
