import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { nextTick, reactive } from 'vue';
import type { SongDocument } from '~~/core/document/document';
import { ACTIONS } from '~~/core/performance/learned';
import { useSong } from '~/song/song';
import { layerOf, noteAt, showSong, withTakes } from '~/testing/shownSong';
import { useHands } from './performAction';

const known = vi.hoisted(() => ({
  pass: {} as { rolling: boolean; recording: boolean },
  playhead: 0,
  /** Requests to the session and look-back. */
  asked: [] as string[],
  said: [] as string[],
  passages: [] as unknown[],
  keyDown: false,
  layers: {} as { closed: Map<string, unknown> },
}));
const asks =
  (what: string) =>
  (...given: unknown[]) =>
    known.asked.push([what, ...given.filter((one) => typeof one === 'number')].join(' '));
vi.mock('./session', () => ({
  useSession: () => ({
    ...{ record: asks('record'), stop: asks('stop'), play: asks('play'), goAgain: asks('go again') },
    ...{ panic: asks('panic'), seek: asks('seek'), seekBars: asks('bars'), untilOf: () => null },
  }),
}));
vi.mock('./pass', () => ({ usePass: () => known.pass }));
vi.mock('./roll', () => ({ useRoll: () => ({ tickNow: () => known.playhead, playhead: 0 }) }));
vi.mock('./presets', () => ({ usePresets: () => ({ plain: asks('plain'), step: asks('preset') }) }));
vi.mock('~~/core/lookback/takenByPass', () => ({ anyKeyDown: () => known.keyDown }));
vi.mock('~/look-back/lookBack', () => {
  const lookBack = {
    ...{ look: () => {}, opened: false, withReleases: (all: unknown) => all },
    get now() {
      return { rolled: known.passages, free: null };
    },
    keepPassages: () => (asks('keep')(), true),
  };
  return { useLookBack: () => lookBack };
});
vi.mock('~/sync/sync', () => ({ useSync: () => ({ enqueue: () => {} }) }));
vi.mock('~/notices/notices', () => ({ useNotices: () => ({ say: (words: string) => known.said.push(words) }) }));
vi.mock('~/song/findingLines', () => ({ findLines: () => null }));
vi.mock('~/song/layers', () => ({ useLayers: () => known.layers }));
vi.mock('~/song/recordings', () => ({ useRecordings: () => ({ all: new Map() }) }));

const BAR = 3840;
const range = { from: 0, to: 8 * BAR };
const NAMES = ['one', 'two'];
/** A song with two takes of the piano, a bass, and a part that is put away. */
function threeParts(): SongDocument {
  const song = withTakes(NAMES, range, 16);
  const [piano] = song.parts;
  const empty = { ...piano!, takes: [], comp: [] };
  const others = [
    { ...empty, id: 'bass', name: 'Bass' },
    { ...empty, id: 'away', name: 'Away', away: true },
  ];
  return { ...song, parts: [piano!, ...others], brief: { ...song.brief, part: 'piano' } };
}
function opened(document = threeParts()): ReturnType<typeof useHands> {
  showSong(document);
  return useHands();
}
const song = () => useSong().document!;
const heard = () => song().parts[0]!.comp.map((p) => p.takeId);

beforeEach(() => {
  vi.useFakeTimers();
  setActivePinia(createPinia());
  const closed = new Map(NAMES.map((id) => [`layer ${id}`, layerOf(id, range, noteAt(0.02, 0.4))]));
  const pass = reactive({ rolling: false, recording: false });
  Object.assign(known, { layers: reactive({ closed }), pass, playhead: 0 });
  Object.assign(known, { asked: [], said: [], passages: [], keyDown: false });
});
afterEach(() => vi.useRealTimers());

it('every action can be asked for without a song, and only silence is carried out then', () => {
  const hands = useHands();
  ACTIONS.forEach((action) => hands.act(action));
  expect([known.asked, known.said]).toEqual([['panic'], []]);
});

describe('settings by one move', () => {
  it('the click goes off and back to what it was, and its level stays within its limits', () => {
    const hands = opened();
    const was = song().click.when;
    hands.act('click');
    expect(song().click.when).toBe('never');
    hands.act('click');
    expect(song().click.when).toBe(was);
    for (let i = 0; i < 30; i += 1) hands.act('click softer');
    expect(song().click.gainDb).toBe(-40);
    for (let i = 0; i < 30; i += 1) hands.act('click louder');
    expect(song().click.gainDb).toBe(6);
  });

  it('the speed steps down and up and ends at either end', () => {
    const hands = opened();
    hands.act('slower');
    expect(song().speed).toBe(0.9);
    for (let i = 0; i < 20; i += 1) hands.act('slower');
    const slowest = song().speed;
    hands.act('slower');
    expect([song().speed, slowest < 0.6]).toEqual([slowest, true]);
    hands.act('faster');
    expect(song().speed).toBeGreaterThan(slowest);
  });

  it('the next part is armed alone; parts that are put away are passed over', () => {
    const hands = opened();
    hands.act('next part');
    expect([song().brief.part, song().brief.also]).toEqual(['bass', []]);
    hands.act('next part');
    expect(song().brief.part).toBe('bass');
    hands.act('previous part');
    expect(song().brief.part).toBe('piano');
  });

  it('waiting goes on and off, and the mode goes round', () => {
    const hands = opened();
    hands.act('wait');
    expect(song().brief.wait).toBe('start');
    hands.act('wait');
    expect(song().brief.wait).toBe('no');
    const modes = new Set<string>();
    for (let i = 0; i < 12; i += 1) {
      modes.add(song().brief.mode);
      hands.act('next mode');
    }
    expect(modes.size).toBeGreaterThan(2);
  });
});

describe('takes', () => {
  it('are picked one after the other, and the last is said to be the last', () => {
    const hands = opened();
    hands.act('next take');
    expect(heard()).toEqual(['two']);
    hands.act('next take');
    expect([heard(), known.said]).toEqual([['two'], ['There is no later take there.']]);
    hands.act('previous take');
    expect(heard()).toEqual(['one']);
  });

  it('the latest that came is marked, a second press takes the mark off, and there may be none', async () => {
    const hands = opened();
    hands.act('mark good');
    expect(known.said).toEqual([expect.stringContaining('No take was recorded')]);
    const take = { id: 'three', layer: 'layer one', name: 'Three', at: '', range };
    useSong().run({ type: 'add take', part: 'piano', take, heard: false });
    await nextTick();
    const marks = () => song().parts[0]!.takes.map((t) => t.mark);
    hands.act('mark maybe');
    expect(marks()).toEqual([null, null, 'maybe']);
    hands.act('mark maybe');
    expect(marks()).toEqual([null, null, null]);
    // The two marks and the take.
    for (let i = 0; i < 3; i += 1) hands.undo();
    await nextTick();
    expect(hands.latest).toBeNull();
  });
});

describe('treating from the keys', () => {
  it('quantizes the shown part in the selected bars, and one undo takes it off', () => {
    const hands = opened();
    useSong().run({ type: 'set brief', brief: { range: { from: 0, to: 4 * BAR } } });
    hands.act('quantize');
    expect(song().parts[0]!.treatments.map(({ from, to }) => [from, to])).toEqual([[0, 4 * BAR]]);
    expect(known.said).toEqual([expect.stringContaining('What you played is kept')]);
    hands.act('undo');
    expect(song().parts[0]!.treatments).toEqual([]);
  });

  it('treats nothing where there are no notes, and not while a pass is recorded', () => {
    const hands = opened();
    useSong().run({ type: 'set brief', brief: { range: { from: 6 * BAR, to: 7 * BAR } } });
    hands.act('steady');
    expect(known.said).toEqual(['Piano has no notes there. Nothing was treated.']);
    known.pass.recording = true;
    useSong().run({ type: 'set brief', brief: { range: null } });
    hands.act('quantize');
    expect(song().parts[0]!.treatments).toEqual([]);
  });
});

describe('keep', () => {
  const passage = { notes: 3 };

  it('waits for the keys to come up while the song rolls, and keeps once', () => {
    const hands = opened();
    Object.assign(known, { passages: [passage], keyDown: true });
    known.pass.rolling = true;
    hands.act('keep');
    hands.act('keep');
    vi.advanceTimersByTime(2000);
    expect(known.asked).toEqual([]);
    known.keyDown = false;
    vi.advanceTimersByTime(100);
    expect([known.asked, known.said]).toEqual([['keep'], [expect.stringMatching(/^Kept: 3 notes/)]]);
  });

  it('does not wait for ever, nor for a song that stands', () => {
    const hands = opened();
    Object.assign(known, { passages: [passage], keyDown: true });
    hands.act('keep');
    expect(known.asked).toEqual(['keep']);
    known.pass.rolling = true;
    hands.act('keep');
    vi.advanceTimersByTime(9000);
    expect(known.asked).toEqual(['keep', 'keep']);
  });

  it('says where nothing was played, and leaves a pass alone', () => {
    const hands = opened();
    hands.act('keep');
    expect(known.said).toEqual(['Nothing was played since the last keep or pass.']);
    known.pass.recording = true;
    known.passages = [passage];
    hands.act('keep');
    expect(known.asked).toEqual([]);
  });
});

it('sections are gone to one after the other, back to the start of the one that plays, then to the one before', () => {
  const sections = [
    { name: 'Intro', bars: 4 },
    { name: 'Verse', bars: 8 },
  ];
  const document = threeParts();
  const hands = opened({ ...document, sections: sections.map((s) => ({ ...document.sections[0], ...s })) as never });
  known.playhead = BAR;
  hands.act('next section');
  known.playhead = 6 * BAR;
  hands.act('previous section');
  known.playhead = 4 * BAR + 100;
  hands.act('previous section');
  expect(known.asked).toEqual([`seek ${4 * BAR}`, `seek ${4 * BAR}`, 'seek 0']);
});
