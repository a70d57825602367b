import { describe, expect, it } from 'vitest';
import type { Section } from '../document/section';
import { mapsOf } from '../document/maps';
import { newTake } from '../document/take';
import { change } from '../song/changes';
import { lineOf, takeReader } from '../reading/reading';
import { soundedAgain, soundFingerprints } from '../reading/soundedAgain';
import { foundIn, played } from '../testing/delivered';
import { at, bend, HEARD, layer, off, on, pedal } from '../testing/layers';
import { checksOf, clippedCheck, openChecks, type CheckKind } from './checks';
import { USUAL_DELIVERY } from './delivery';
import { newBacking } from '../document/backing';

const section = (name: string, bars: number): Section => ({ id: name, name, bars, pattern: null });
/** A note on each beat of some bars, so long. */
const beats = (bars: readonly number[], length = 0.9) =>
  bars.flatMap((bar) => [0, 1, 2, 3].flatMap((b) => [on((bar - 1) * 4 + b), off((bar - 1) * 4 + b + length)]));
const whole = beats([1, 2, 3, 4, 5, 6, 7, 8]);
const kinds = (found: ReturnType<typeof foundIn>): CheckKind[] => found.checks.map((c) => c.kind);
/** Checks that are found once the mend of the first one was made. */
function mended({ song, layers, checks }: ReturnType<typeof foundIn>): CheckKind[] {
  const now = change(song, checks[0]!.mend!.command).document;
  return checksOf(now, now.parts, layers, mapsOf(now)).map((c) => c.kind);
}

describe('before it goes', () => {
  it('nothing is found in a part that is whole', () => {
    expect(kinds(foundIn([played('piano', whole)]))).toEqual([]);
  });

  it('a part with nothing in its line is silent', () => {
    expect(foundIn([played('piano', [])]).checks).toMatchObject([{ kind: 'silent', part: 'piano', station: 'pick' }]);
    const bare = played('piano', [], { takes: [], comp: [] });
    expect(foundIn([bare]).checks).toMatchObject([{ kind: 'silent', station: 'play' }]);
  });

  it('a note is doubled, and the mend takes one out', () => {
    const found = foundIn([
      played(
        'piano',
        [...whole, on(2.02, 60), off(2.5, 60)].sort((a, b) => a.at - b.at),
      ),
    ]);
    expect(kinds(found)).toEqual(['doubled']);
    expect(mended(found)).toEqual([]);
  });

  it('a note hangs for bars on end', () => {
    const found = foundIn([played('piano', [on(0, 40), ...whole, off(28, 40)])]);
    expect(found.checks).toMatchObject([{ kind: 'hanging', at: 0, station: 'tidy' }]);
    // Where all notes are long it is the music.
    const long = [on(0, 40), off(20, 40), on(20, 43), off(31, 43)];
    expect(kinds(foundIn([played('pad', long)]))).toEqual([]);
  });

  it('a note that rubs with what is struck over it hangs from two bars on, a bass under it all does not', () => {
    const running = [1, 2, 3, 4, 5, 6, 7, 8].flatMap((bar) =>
      [0, 0.5, 1, 1.5, 2, 2.5, 3, 3.5].flatMap((b, i) => {
        const key = [60, 62, 64, 67][i % 4]!;
        return [on((bar - 1) * 4 + b, key), off((bar - 1) * 4 + b + 0.4, key)];
      }),
    );
    const held = (key: number) => [...running, on(4.25, key), off(14.25, key)].sort((a, b) => a.at - b.at);
    expect(foundIn([played('piano', held(61))]).checks).toMatchObject([{ kind: 'hanging', at: 4.25 * 960 }]);
    expect(kinds(foundIn([played('piano', held(37))]))).toEqual([]);
  });

  it('a pedal is down for bars on end, or notes are struck with the expression at nothing', () => {
    const down = [...whole, pedal(2, true), pedal(30, false)].sort((a, b) => a.at - b.at);
    expect(foundIn([played('piano', down)]).checks).toMatchObject([{ kind: 'pedal held', at: 2 * 960 }]);
    const low = (n: number, value: number) => at(n, { type: 'control', controller: 11, value });
    const quiet = [...whole, low(7.95, 0), low(15.95, 127)].sort((a, b) => a.at - b.at);
    expect(foundIn([played('piano', quiet)]).checks).toMatchObject([
      { kind: 'turned down', words: '8 notes not heard: the expression is at 0' },
    ]);
  });

  it('a bar is missing in the midst of what is played, where no section says what belongs together', () => {
    const found = foundIn([played('piano', beats([1, 2, 3, 5, 6, 7, 8]))]);
    expect(found.checks).toMatchObject([{ kind: 'not played', at: 3 * 3840 }]);
    // A part that rests for long, or often, means it.
    expect(kinds(foundIn([played('piano', beats([1, 2, 5, 6, 8]))]))).toEqual([]);
  });

  it('notes lie outside the song, or are cut at its end', () => {
    const outside = foundIn([played('piano', whole)], { bars: 6 });
    expect(outside.checks).toMatchObject([{ kind: 'outside', at: 24 * 960 }]);
    const cut = foundIn([played('piano', [...beats([1, 2, 3, 4, 5, 6, 7]), on(28), off(31.9)])], { bars: 7 });
    expect(kinds(cut)).toEqual(['outside']);
    const over = foundIn([played('piano', [...beats([1, 2, 3, 4, 5]), on(23, 62), off(25, 62)])], { bars: 6 });
    expect(over.checks).toMatchObject([{ kind: 'cut', at: 23 * 960 }]);
  });

  it('the pedal or the bend is not at rest when the song ends, and the mend brings it there', () => {
    // What is held over the end of a song that was made shorter.
    const six = beats([1, 2, 3, 4, 5, 6]);
    const down = foundIn([played('piano', [...six, pedal(23.95, true), pedal(26, false)])], { bars: 6 });
    expect(down.checks).toMatchObject([{ kind: 'not at rest', station: 'tidy' }]);
    expect(mended(down)).toEqual([]);
    const bent = foundIn([played('lead', [...six, bend(23.95, 12_000), bend(25, 8192)])], { bars: 6 });
    expect(kinds(bent)).toEqual(['not at rest']);
    expect(mended(bent)).toEqual([]);
    // Where the recording ends with the song, everything comes to rest there by itself.
    expect(kinds(foundIn([played('piano', [...whole, pedal(31.95, true)])]))).toEqual([]);
    const rests = [...whole, pedal(31.5, true), pedal(31.9, false), bend(31.5, 9000), bend(31.95, 8192)];
    expect(kinds(foundIn([played('piano', rests)]))).toEqual([]);
  });

  it('bars are not played that the part plays in a section of the same kind', () => {
    const sections = [section('Verse 1', 2), section('Chorus 1', 2), section('Verse 2', 2), section('Chorus 2', 2)];
    const some = foundIn([played('piano', beats([1, 2, 3, 4, 5, 7, 8]))], { sections });
    expect(some.checks).toMatchObject([{ kind: 'not played', at: 20 * 960, words: 'bar 6 of Verse 2 not played' }]);
    const none = foundIn([played('piano', beats([1, 2, 3, 4, 5, 6]))], { sections });
    expect(none.checks.map((c) => c.words)).toEqual(['Chorus 2 is not played']);
    // A part that rests in every chorus is meant to.
    expect(kinds(foundIn([played('piano', beats([1, 2, 5, 6]))], { sections }))).toEqual([]);
    // A bar into which a chord rings is not empty.
    const rings = [...beats([1, 2, 3, 4, 7, 8]), on(16, 50), off(23.9, 50)].sort((a, b) => a.at - b.at);
    expect(kinds(foundIn([played('piano', rings)], { sections }))).toEqual([]);
  });

  it('a join wants a look until an ear has passed it, and a take that is marked “no” is heard', () => {
    const other = layer('other', 0, 32, [on(15.5, 64), off(17, 64), ...beats([6, 7])]);
    const takes = [
      newTake({ id: 'a', number: 1, layers: ['piano'], from: 0, to: 32 * 960, placement: HEARD, at: '' }),
      newTake({ ...{ id: 'b', number: 2, layers: ['other'], from: 0, to: 32 * 960 }, placement: HEARD, at: '' }),
    ];
    const comp = [
      { from: 0, to: 16 * 960, takeId: 'a' },
      { from: 16 * 960, to: 28 * 960, takeId: 'b' },
      { from: 28 * 960, to: 32 * 960, takeId: 'a' },
    ];
    const held = [...beats([1, 2, 3]), on(12, 67), off(18, 67), ...beats([8])];
    const one = played('piano', held, { takes, comp });
    const both = { ...one, layers: [...one.layers, ['other', other]] as typeof one.layers };
    const found = foundIn([both]);
    expect(found.checks.find((c) => c.kind === 'join')).toMatchObject({ at: 16 * 960, station: 'pick' });
    const marked = { ...both, part: { ...both.part, takes: [takes[0]!, { ...takes[1]!, mark: 'no' as const }] } };
    expect(foundIn([marked]).checks.map((c) => c.words)).toContain('bars 5–7 from take 2, which is marked “no”');
    expect(kinds(found)).not.toContain('take marked no');
  });

  it('notes need an ear, or the hand has put them off every line', () => {
    const rough = beats([1, 2, 3, 4]).map((e, i) => ({ ...e, at: e.at + (i % 6 === 0 ? 0.13 : 0) }));
    const treatment = { ...{ id: 't', from: 0, to: 32 * 960, grid: '8 straight', strength: 1 }, ends: 'keep length' };
    const treated = foundIn([played('piano', rough, { treatments: [treatment as never] })]);
    expect(kinds(treated)).toContain('ear');
    const decided = Object.fromEntries(rough.map((_, i) => [`piano:${i}`, 'played' as const]));
    expect(kinds(foundIn([played('piano', rough, { treatments: [treatment as never], decided })]))).not.toContain(
      'ear',
    );
    const put = (start: number) => {
      const one = played('piano', whole);
      const edits = [{ op: 'add' as const, id: 'e', notes: [[start, start + 400, 72, 80, 64] as const] }];
      const take = { ...one.part.takes[0]!, edits };
      return kinds(foundIn([{ ...one, part: { ...one.part, takes: [take] } }]));
    };
    expect(put(3840 + 20)).toEqual(['off every line']);
    expect(put(3840 + 240)).toEqual([]);
    expect(put(3840 + 320)).toEqual([]);
  });

  it('a part is placed as it was played, by figures that nobody measured', () => {
    const placement = { policy: 'played', nudge: 0 } as const;
    const one = played('piano', whole, {}, { placement });
    expect(foundIn([one]).checks).toMatchObject([{ kind: 'never measured', station: 'line-check' }]);
    const [[id, made]] = one.layers as [[string, (typeof one.layers)[0][1]]];
    const latency = { output: 0.03, input: 0, measured: true };
    const measured = { ...one, layers: [[id, { ...made, header: { ...made.header, latency } }]] as typeof one.layers };
    expect(kinds(foundIn([measured]))).toEqual([]);
    expect(kinds(foundIn([played('piano', whole)]))).toEqual([]);
  });

  it('two parts have one name, and the mend gives the second another', () => {
    const [a, b] = [played('a', whole, { name: 'Piano' }), played('b', whole, { name: 'piano' })];
    const found = foundIn([a, b]);
    expect(found.checks).toMatchObject([{ kind: 'one name', part: 'b' }]);
    expect(mended(found)).toEqual([]);
    expect(change(found.song, found.checks[0]!.mend!.command).document.parts[1]!.name).toBe('piano 2');
  });

  it('a backing goes on behind the song’s end', () => {
    const backing = newBacking({ id: 'mix', name: 'Mix', audio: 'a'.repeat(64), length: 30 });
    expect(foundIn([played('piano', whole)], { backings: [backing] }).checks).toMatchObject([
      { kind: 'backing longer', station: 'set-up' },
    ]);
    const rings = { ...backing, length: 18 };
    expect(kinds(foundIn([played('piano', whole)], { backings: [rings] }))).toEqual([]);
  });

  it('audio would clip, and the trim that mends it is said', () => {
    const peaks = [
      { name: 'Piano.wav', truePeak: 1.26 },
      { name: 'Organ.wav', truePeak: -3 },
    ];
    const found = clippedCheck(peaks, USUAL_DELIVERY)!;
    expect(found.check.words).toContain('Piano.wav would clip, by 1.3 dB');
    expect(found.trimDb).toBe(-1.6);
    expect(clippedCheck([peaks[1]!], USUAL_DELIVERY)).toBeNull();
    // Float keeps what is beyond full scale.
    expect(clippedCheck(peaks, { ...USUAL_DELIVERY, depth: '32-bit float' })).toBeNull();
  });

  it('what was waved through stays so until it becomes another thing', () => {
    const sections = [section('Verse 1', 4), section('Verse 2', 4)];
    const { song, checks, layers } = foundIn([played('piano', beats([1, 2, 3, 4, 5, 6, 7]))], { sections });
    expect(checks).toHaveLength(1);
    const { fingerprint, words } = checks[0]!;
    const waived = change(song, {
      type: 'wave through',
      check: fingerprint,
      words,
      reason: 'The strings have it',
    }).document;
    const again = (now: typeof song) => checksOf(now, now.parts, layers, mapsOf(now));
    expect(openChecks(again(waived), waived)).toEqual([]);
    const shorter = {
      ...waived,
      parts: [{ ...waived.parts[0]!, comp: [{ from: 0, to: 20 * 960, takeId: 'take of piano' }] }],
    };
    expect(openChecks(again(shorter), shorter)).toHaveLength(1);
    const back = change(waived, { type: 'wave through', check: fingerprint, words, reason: '' }).document;
    expect(openChecks(again(back), back)).toHaveLength(1);
  });

  describe('of a part that goes out as its recorded sound', () => {
    const input = { recording: 'tape', input: 0, frame: 0 };
    /** With sound in some bars, recorded at a tempo. */
    function sounding(over: Parameters<typeof played>[2] = {}, bars: readonly [number, number] = [1, 8], bpm = 120) {
      const made = played('piano', whole, { heardAs: 'recorded', ...over });
      const [[id, of]] = made.layers as [(typeof made.layers)[0]];
      const range = { from: (bars[0] - 1) * 3840, to: bars[1] * 3840 };
      const header = { ...of.header, sound: input, tempo: [{ tick: 0, bpm }] };
      // Events keep their places whatever the tempo was.
      const events = of.events.map((e) => ({ ...e, at: (e.at * 120) / bpm }));
      return { ...made, layers: [[id, { header, events, closing: { ...of.closing, range } }]] as typeof made.layers };
    }

    it('nothing is found where it has sound, notes and bars as they were played', () => {
      expect(kinds(foundIn([sounding()]))).toEqual([]);
      expect(kinds(foundIn([{ ...sounding(), ...{ part: { ...sounding().part, heardAs: 'program' } } }]))).toEqual([]);
    });

    it('it is not silent with sound and no notes', () => {
      const made = sounding();
      const [[id, of]] = made.layers as [(typeof made.layers)[0]];
      expect(kinds(foundIn([{ ...made, layers: [[id, { ...of, events: [] }]] }]))).toEqual([]);
    });

    it('bars are played that have no sound, and the mend lets the program sound it', () => {
      const made = sounding();
      const [[id, of]] = made.layers as [(typeof made.layers)[0]];
      const header = { ...of.header };
      delete (header as { sound?: unknown }).sound;
      const found = foundIn([{ ...made, layers: [[id, { ...of, header }]] }]);
      expect(found.checks).toMatchObject([{ kind: 'no sound', at: 0, station: 'play' }]);
      expect(found.checks[0]!.words).toContain('8 bars');
      expect(mended(found)).toEqual([]);
    });

    it('its notes are treated or changed by hand, and its sound is not', () => {
      const recipe = { grid: '16 straight', strength: 1, ends: 'keep length' } as const;
      const treated = sounding({ treatments: [{ id: 't', from: 0, to: 3840, ...recipe }] });
      expect(kinds(foundIn([treated]))).toEqual(['sound stays']);
      const other = sounding({ treatments: [{ id: 't', from: 0, to: 3840, ...recipe, layers: ['another'] }] });
      expect(kinds(foundIn([other]))).toEqual([]);
    });

    it('nothing is found once its line, treated or changed, was sounded again, until it is treated otherwise', () => {
      const recipe = { grid: '16 straight', strength: 1, ends: 'keep length' } as const;
      const treated = sounding({ treatments: [{ id: 't', from: 0, to: 3840, ...recipe }] });
      const maps = mapsOf(foundIn([treated]).song);
      const read = takeReader(new Map(treated.layers), []);
      const fingerprints = soundFingerprints(lineOf(treated.part, read, maps), maps);
      const about = { id: 'a', recording: 'b', input: 0, at: '' };
      const again = soundedAgain(about, fingerprints, maps, { from: 0, to: maps.endSeconds })!;
      const sounded = { ...treated, part: { ...treated.part, soundedAgain: [again] } };
      expect(kinds(foundIn([sounded]))).toEqual([]);
      const treatments = [{ id: 't', from: 0, to: 3840, ...recipe, offset: 12 }];
      expect(kinds(foundIn([{ ...sounded, part: { ...sounded.part, treatments } }]))).toEqual(['sound stays']);
    });

    it('it was recorded in another tempo, and does not follow the bars', () => {
      expect(kinds(foundIn([sounding({}, [1, 8], 100)]))).toEqual(['another tempo']);
    });
  });
});
